"""Tracking difficult plates with exact truth, beside baselines made from OpenCV."""
