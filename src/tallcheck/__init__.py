"""Tall Check: will this machine run it, and does a memory upgrade alone do?"""

__version__ = "0.2.0"
