"""What all frames of a run share: read-out, lens, shutter, tone, bow, and what is not known of them."""
