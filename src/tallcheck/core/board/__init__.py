"""The board account: positions, modules that fit, limits and where they come from."""
