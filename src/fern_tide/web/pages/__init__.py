"""One blueprint per room, and the routes that they share."""
