"""Every step, one file each."""
