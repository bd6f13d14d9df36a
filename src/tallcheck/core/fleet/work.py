"""What fixes cost besides modules: which kinds are bought, and how much work each is."""

PRICED = ("machine", "processor", "graphics", "system", "storage", "part", "memory")
"""Kinds that are bought; memory where no plan prices it, a setting costs only work."""

HOURS = {
    "memory": 0.5, "machine": 2.0, "processor": 1.5, "graphics": 0.5, "system": 1.5,
    "setting": 0.25, "storage": 1.0, "part": 0.5,
}  # fmt: skip
"""Hours of work for each kind of fix where the settings name none: a rule of thumb."""
