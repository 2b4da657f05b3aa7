"""The shot document: what to compute, its rules, and its edits."""
