"""Naming rules for processors: the user's, the built-in ones, and the demo's, in that order."""

import os
import re

import msgspec

from tallcheck.core.machine.naming import Rule
from tallcheck.core.values.errors import InputError
from tallcheck.files.config import config_folder
from tallcheck.files.inputs import read, text

_DATA = os.path.join(os.path.dirname(os.path.dirname(__file__)), "data")
NAME = "processors.toml"


class _RuleFile(msgspec.Struct, forbid_unknown_fields=True):
    rule: list[Rule] = []


def naming_rules() -> list[Rule]:
    """Every rule, the user's first. Raises InputError for a user's file that is wrong."""
    own = os.path.join(config_folder(), NAME)
    rules = checked(read_rules(own), own) if os.path.isfile(own) else []
    # the tool's own patterns are compiled one by one as they are tried: all of them is slow
    return (
        rules
        + read_rules(os.path.join(_DATA, NAME))
        + read_rules(os.path.join(_DATA, "demo", NAME))
    )


def read_rules(path: str) -> list[Rule]:
    """The rules of one file. Raises InputError."""
    import tomllib

    try:
        found = msgspec.convert(tomllib.loads(text(read(path), path)), _RuleFile).rule
    except (tomllib.TOMLDecodeError, msgspec.ValidationError) as error:
        raise InputError(f"found no naming rules: {error}", "[[rule]] tables", path) from None
    return found


def checked(rules: list[Rule], path: str) -> list[Rule]:
    """The rules themselves, where every pattern and level is valid. Raises InputError."""
    for at, rule in enumerate(rules):
        try:
            re.compile(rule.pattern)
        except re.error as error:
            raise InputError(
                f"found the pattern {rule.pattern!r}: {error}", "a regular expression",
                f"{path}: rule[{at}]",
            ) from None  # fmt: skip
        for least, level in rule.levels.items():
            if not least.isdecimal() or not re.fullmatch(r"x86-64-v[1-4]", level):
                raise InputError(
                    f'found {least} = "{level}"', 'a table such as {4 = "x86-64-v3"}',
                    f"{path}: rule[{at}].levels",
                )  # fmt: skip
    return rules
