"""Evidence: crops along corners, the flat view, frames that need eyes."""
