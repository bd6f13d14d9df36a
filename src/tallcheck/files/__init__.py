"""The open formats, in and out; and the vocabulary, which is data in files."""

from typing import TYPE_CHECKING

from tallcheck.core.machine.vocabulary import Sources, use_vocabulary

if TYPE_CHECKING:
    from tallcheck.core.machine.naming import Line, Rule
    from tallcheck.core.machine.systems import SystemWord
    from tallcheck.core.machine.vocabulary import Phrases


def _names() -> "tuple[list[Rule], list[Line]]":
    from tallcheck.files.vocabulary import processor_names

    return processor_names()


def _systems() -> "list[SystemWord]":
    from tallcheck.files.vocabulary import systems

    return systems()


def _phrases() -> "Phrases":
    from tallcheck.files.vocabulary import phrases

    return phrases()


# what is read at the first use, by whichever command needs it
use_vocabulary(Sources(_names, _systems, _phrases))
