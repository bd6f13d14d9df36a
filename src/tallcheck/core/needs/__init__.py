"""What is asked: one entry a key with all that key knows; sheets; review."""
