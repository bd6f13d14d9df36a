"""Tall Check: will this machine run it, and does a memory upgrade alone do?

Also a library; each name is imported when it is first asked for (docs/library.md)::

    import tallcheck

    found = tallcheck.check(tallcheck.read_machine(path), tallcheck.read_needs("merrow@10"))
    print(found.verdict.decision.answer)
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from tallcheck.core.machine.sheet import Machine
    from tallcheck.core.needs.sheet import NeedsSheet
    from tallcheck.core.values.errors import InputError
    from tallcheck.gather import gather_here
    from tallcheck.library import check, judge_table, plan_upgrade, read_machine, read_needs

__version__ = "0.3.0"

__all__ = [
    "InputError", "Machine", "NeedsSheet", "check", "gather_here", "judge_table", "plan_upgrade",
    "read_machine", "read_needs",
]  # fmt: skip

_PLACES = {
    "Machine": "core.machine.sheet", "NeedsSheet": "core.needs.sheet",
    "InputError": "core.values.errors", "gather_here": "gather",
}  # fmt: skip


def __getattr__(name: str) -> Any:
    if name not in __all__:
        raise AttributeError(f"module 'tallcheck' has no attribute '{name}'")
    from importlib import import_module

    return getattr(import_module(f"tallcheck.{_PLACES.get(name, 'library')}"), name)
