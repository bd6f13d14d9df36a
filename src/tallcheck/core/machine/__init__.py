"""What is known of a machine: the sheet, its keys, what is told, what follows, doubts, memory."""
