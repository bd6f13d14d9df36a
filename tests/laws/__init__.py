"""Laws that hold over generated things: each is one entry, found by `LAWS`, run by `make laws`."""

from tests.laws.answers import ANSWERS
from tests.laws.boards import BOARDS
from tests.laws.captures import CAPTURES
from tests.laws.copied import COPIED
from tests.laws.decisions import ANOTHER, ENOUGH, FEWER, MORE, TOLD
from tests.laws.law import Law
from tests.laws.lives import LIVES
from tests.laws.long_texts import LONG_TEXTS
from tests.laws.orders import ORDERS
from tests.laws.pages import PAGES
from tests.laws.simulated import SIMULATED
from tests.laws.utterances import UTTERANCES
from tests.laws.way_in import FILES, KEYS, PLACES, PLAIN

LAWS: tuple[Law, ...] = (
    KEYS, PLACES, PLAIN, FILES, CAPTURES, BOARDS, MORE, ENOUGH, FEWER, ANOTHER, TOLD, LONG_TEXTS,
    ORDERS, ANSWERS, UTTERANCES, COPIED, PAGES, SIMULATED, LIVES,
)  # fmt: skip

__all__ = ["LAWS", "Law"]
