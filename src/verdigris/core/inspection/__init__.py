"""Evidence: crops along corners, frames that need eyes."""
