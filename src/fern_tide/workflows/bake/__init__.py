"""Baking: every driven property into a stored curve, and what is swept away afterwards."""
