"""Every kind of touch-up, one file each."""
