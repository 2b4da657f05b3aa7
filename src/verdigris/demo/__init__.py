"""Made-up plates with known truth, and the demo project, all by our own code."""
