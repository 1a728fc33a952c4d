"""Fern Tide turns a soundtrack into motion."""

__version__ = "0.8.0"
