"""Every kind of part, one file each."""
