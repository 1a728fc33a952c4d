"""Bytes to sound: decoding in blocks, channels, levels per frame and cached power spectra."""
