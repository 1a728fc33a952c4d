"""glTF 2.0: files that come in, read as hostile; and a 3D scene as one glTF file."""
