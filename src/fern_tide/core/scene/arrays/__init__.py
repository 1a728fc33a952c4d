"""Many pieces: where they stand, in which order, which of a sound's rows each follows, and where its motion fades."""
