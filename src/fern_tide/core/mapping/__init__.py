"""A level to lift, lift through steps and a response to a value."""
