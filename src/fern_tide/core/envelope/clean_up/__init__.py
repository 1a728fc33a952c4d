"""Every clean-up, one file each."""
