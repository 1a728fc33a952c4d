"""Edits: every one is a small command that yields a new document, with a label in the user's words for undo."""
