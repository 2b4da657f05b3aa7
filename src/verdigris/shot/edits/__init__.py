"""Changes of a shot document: typed, checked, one by one."""
