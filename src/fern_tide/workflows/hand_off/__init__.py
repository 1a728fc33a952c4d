"""Hand-off: formats, project files, and the same without a server."""
