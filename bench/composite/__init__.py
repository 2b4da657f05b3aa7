"""Placing and masking measured against twins: the scene with the old surface, and with the new picture really on it."""
