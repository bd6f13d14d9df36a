"""What the tool does, each as a list of steps that hand on their results."""

__all__ = [
    "check",
    "confirm",
    "confirm_modules",
    "fleet_check",
    "replacement",
]
