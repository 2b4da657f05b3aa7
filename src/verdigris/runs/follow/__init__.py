"""Follow surfaces through a plate; what is kept so that it begins at once and goes on after a crash."""
