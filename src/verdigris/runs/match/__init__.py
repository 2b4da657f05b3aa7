"""Measuring how a surface sits in its plate, and proposing what makes artwork do so."""
