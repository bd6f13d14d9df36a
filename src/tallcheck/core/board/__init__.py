"""The board account: positions, modules that fit, limits and where they come from."""

__all__ = ["arranging", "models", "positions", "tables", "totals"]
