"""Deriving: features, levels and curves of the graph, worked once and remembered."""
