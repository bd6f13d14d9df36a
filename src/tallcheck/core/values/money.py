"""Money: amounts in hundredths of a currency, as people write prices."""

import re

from tallcheck.core.values.errors import InputError

MONEY_EXPECTED = "a price, such as 18.50 or 1,022.50 EUR"

_SIGNS = {
    "\u20ac": "EUR", "\u00a3": "GBP", "$": "USD", "\u00a5": "JPY", "Fr.": "CHF", "z\u0142": "PLN",
    "K\u010d": "CZK", "kr": "kr", "kr.": "kr",
}  # fmt: skip
_CROWNS = ("SEK", "NOK", "DKK", "ISK")
"""What is written ``kr`` at home."""
_SIGN = "|".join(map(re.escape, sorted(_SIGNS, key=len, reverse=True)))
_PRICE = (
    rf"(?P<before>{_SIGN}|[A-Za-z]{{3}})?\s*(?P<amount>[0-9][0-9.,'\u2019\u00a0\u202f ]*)"
    rf"(?:,?-+)?\s*(?P<after>{_SIGN}|[A-Za-z]{{3}})?\s*(?:/\s*[A-Za-z.]{{1,10}})?"
)


def format_money(hundredths: int, currency: str = "") -> str:
    """Hundredths as ``18.50 EUR``."""
    return f"{hundredths / 100:,.2f} {currency}".strip()


def parse_price(text: str) -> tuple[int, str]:
    """A price in hundredths, and its currency's code, empty where none is written.

    ``18.5``, ``22 EUR``, ``1,022.50``, ``1.022,50 EUR``. Raises InputError.
    """
    match = re.fullmatch(_PRICE, text.strip())
    amount = None if match is None else _hundredths(re.sub(r"[^0-9.,]", "", match["amount"]))
    if match is None or amount is None or (match["before"] and match["after"]):
        raise InputError(f'found "{text.strip()}"', MONEY_EXPECTED)
    sign = match["before"] or match["after"] or ""
    return amount, _SIGNS.get(sign, sign.upper())


def is_written(currency: str, sign: str) -> bool:
    """Whether prices of a currency, by its code, are written with a sign, as it was read."""
    return currency == sign or (sign == "kr" and currency in _CROWNS)


def parse_money(text: str) -> int:
    """A price in hundredths, whatever its currency. Raises InputError."""
    return parse_price(text)[0]


def _hundredths(digits: str) -> int | None:
    """An amount whose marks are thousands' or decimal ones; of two kinds the last is decimal."""
    if len(digits) > 20:
        return None
    last = max(digits.rfind("."), digits.rfind(","))
    whole, cents = digits, ""
    if last >= 0:
        mark, tail = digits[last], digits[last + 1 :]
        if digits.count(mark) == 1 and len(tail) <= 2:
            whole, cents = digits[:last], tail
            if mark in whole:
                return None
    groups = re.split(r"[.,]", whole)
    one_mark = len({ch for ch in whole if ch in ".,"}) <= 1
    sound = one_mark and 1 <= len(groups[0]) <= 12 and all(len(one) == 3 for one in groups[1:])
    if len(groups) > 1 and len(groups[0]) > 3:
        return None
    return int("".join(groups)) * 100 + int(cents.ljust(2, "0") or "0") if sound else None
