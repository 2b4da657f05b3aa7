"""What makes artwork sit: measured in the plate, and given to what is placed."""
