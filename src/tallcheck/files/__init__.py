"""The open formats, in and out; and the vocabulary, which is data in files."""
