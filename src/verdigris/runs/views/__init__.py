"""Pictures for whoever looks: proxies, previews, analysis, held still, through the lens."""
