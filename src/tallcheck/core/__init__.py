"""Pure rules: values in, values out. No file, clock, terminal, environment or network."""
