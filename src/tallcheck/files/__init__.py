"""The open formats, in and out; and the vocabulary, which is data in files."""

from tallcheck.core.machine.vocabulary import Sources, use_vocabulary


def _names():  # type: ignore[no-untyped-def]
    from tallcheck.files.vocabulary import processor_names

    return processor_names()


def _systems():  # type: ignore[no-untyped-def]
    from tallcheck.files.vocabulary import systems

    return systems()


def _phrases():  # type: ignore[no-untyped-def]
    from tallcheck.files.vocabulary import phrases

    return phrases()


# what is read at the first use, by whichever command needs it
use_vocabulary(Sources(_names, _systems, _phrases))
