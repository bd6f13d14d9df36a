"""The path that is going: kept until the new one agrees with it."""
