"""Verdigris: follow a plane, pin new artwork onto it, keep the evidence in view."""

__version__ = "0.1.0"
