"""Frame after frame: initial poses, following, templates, and mending what came of it."""
