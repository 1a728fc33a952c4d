"""Every response, one file each."""
