"""Every reading, one file each."""
