"""Runs over the frames of a shot: tracking, composing, handing over. Files, but no database and no web."""
