"""The Glasshouse Hour: an invented night opening of a botanical glasshouse, its sounds and its scene."""
