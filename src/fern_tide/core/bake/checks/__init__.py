"""Every check before hand-off, one file each."""
