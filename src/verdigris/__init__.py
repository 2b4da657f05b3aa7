"""Verdigris: follow a plane, pin new artwork onto it, keep the evidence in view."""

import os

# Matrices here are small: threads of the linear algebra would wait for each other, and take the cores from frames and shots that run
# side by side. It has to be said before numpy is imported.
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

__version__ = "0.1.0"
