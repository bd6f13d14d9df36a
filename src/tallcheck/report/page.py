"""Pages for whoever decides: one file, nothing loaded from outside, readable without scripts.

All text from machines and files is escaped by the template engine.
"""

from typing import Any

from tallcheck.core.values.text import printable

_FOOTER = "Made by Tall Check. Sizes of memory are binary (8 GB is 8 GiB), of storage decimal."


def rendered(page: str, values: dict[str, Any]) -> str:
    """One of ``data/pages``, filled in."""
    from jinja2 import Environment, PackageLoader, StrictUndefined

    environment = Environment(
        loader=PackageLoader("tallcheck", "data/pages"), autoescape=True, trim_blocks=True,
        undefined=StrictUndefined, finalize=_shown,
    )  # fmt: skip
    return environment.get_template(page).render(footer=_FOOTER, **values)


def _shown(value: Any) -> Any:
    """Text without control characters; markup of our own, which is another type, as it is."""
    return printable(value) if type(value) is str else value
