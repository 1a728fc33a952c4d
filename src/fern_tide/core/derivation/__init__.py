"""What depends on what: one graph from a document's files to its curves."""
