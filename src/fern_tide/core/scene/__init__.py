"""What can be animated: parts, their properties and anchors, and how a scene is drawn."""
