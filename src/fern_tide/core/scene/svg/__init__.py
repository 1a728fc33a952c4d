"""SVG files that come in: read as hostile, cut down to what is safe, and made into parts."""
