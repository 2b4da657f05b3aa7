"""Homographies, quads, shapes over time and corrections, in plate px."""
