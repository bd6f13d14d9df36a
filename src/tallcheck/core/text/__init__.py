"""What people and pages say: text in, readings or needs out, with every part that was not used."""
