"""Models of machines by name: how two names are compared, and what is known of some."""

import re
from fnmatch import fnmatchcase

from msgspec import Struct

_LEGAL = frozenset({
    "ab", "ag", "as", "bv", "co", "company", "corp", "corporation", "gmbh", "inc", "incorporated",
    "kg", "kk", "limited", "llc", "ltd", "nv", "oy", "plc", "pty", "sa", "sas", "se", "spa", "srl",
})  # fmt: skip
"""What stands behind a maker's name and says only what kind of company it is."""


def model_key(maker: str | None, model: str | None) -> tuple[str, str]:
    """Maker and model as they are compared.

    Case, spacing, a company's legal words and a maker repeated in the model make no difference.
    """
    makers = _words(maker)
    while len(makers) > 1 and makers[-1] in _LEGAL:
        makers.pop()
    models = _words(model)
    if makers and models[: len(makers)] == makers and len(models) > len(makers):
        models = models[len(makers) :]
        while len(models) > 1 and models[0] in _LEGAL:
            models.pop(0)
    return " ".join(makers), " ".join(models)


def _words(text: str | None) -> list[str]:
    return re.sub(r"[.,]+(?=\s|$)", " ", (text or "").lower()).split()


class ModelWord(Struct, frozen=True, forbid_unknown_fields=True):
    """Models of one maker of which the same is known."""

    models: tuple[str, ...]
    """Names, with * for anything."""
    maker: str = ""
    """Empty: of any maker."""
    memory: str = ""
    """``fixed``: no module comes out, and none goes in."""
    shape: str = ""


class Models:
    """What is known of models by name."""

    def __init__(self, words: list[ModelWord]) -> None:
        self._shapes = [
            (name.lower(), one.shape) for one in words if one.shape for name in one.models
        ]
        self._fixed = [
            model_key(one.maker, name) for one in words if one.memory == "fixed"
            for name in one.models
        ]  # fmt: skip
        self._makers = {maker for maker, _ in self._fixed}

    def shape(self, maker: str | None, model: str | None) -> str | None:
        """The shape that a model's name tells; None where it tells none."""
        name = model_key(maker, model)[1]
        return next((shape for pattern, shape in self._shapes if fnmatchcase(name, pattern)), None)

    def knows(self, maker: str | None) -> bool:
        """Whether anything may be known of a maker's models, as of one that is not told."""
        return not maker or model_key(maker, None)[0] in self._makers

    def fixed(self, maker: str | None, model: str | None) -> bool:
        """Whether the memory of all machines of a model is fixed to the board."""
        maker_told, name = model_key(maker, model)
        return bool(name) and any(
            (maker_is == maker_told if maker_told else pattern != "*")
            and fnmatchcase(name, pattern)
            for maker_is, pattern in self._fixed
        )
