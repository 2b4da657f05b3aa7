"""What pictures and finished tracks advise."""
