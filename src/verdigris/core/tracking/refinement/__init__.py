"""Passes over a run that is through: closer looks, a sharper reference, edges that have the last word."""
