"""What the API answers and takes."""
