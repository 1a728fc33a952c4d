"""Every format that curves are written in, one file each."""
