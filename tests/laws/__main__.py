"""``python -m tests.laws [--seconds N] [--only NAME] [--keep]``: every law under fresh draws."""

import argparse
import random
import sys
import threading
import traceback

from tests.laws import LAWS
from tests.laws.law import KEPT, Law, Tried, kept, tried

_STACK = 512 << 20
"""Bytes of stack: the matcher that counts goes as deep as a text is long."""


def main() -> int:
    """Each law for its share of the time; what fails is printed as the line that repeats it."""
    parser = argparse.ArgumentParser(prog="make laws")
    parser.add_argument("--seconds", type=float, default=600)
    parser.add_argument("--only", action="append", help="a law by its name")
    parser.add_argument("--keep", action="store_true", help="keep what fails, for the tests to run")
    args = parser.parse_args()
    laws = [law for law in LAWS if not args.only or law.name in args.only]
    by_name = {law.name: law for law in LAWS}
    failed = 0
    for name, drawn in kept():
        if name in by_name:
            by_name[name].holds(drawn)
    for law in laws:
        found = tried(law, args.seconds / len(laws), random.SystemRandom().randrange(1 << 30))
        failed += _told(law, found, args.keep)
    return 1 if failed else 0


def _told(law: Law, found: Tried, keep: bool) -> bool:
    each = found.runs / max(found.seconds, 1e-9)
    print(f"{law.name}: {found.runs:,} runs, {each:,.0f} a second. {law.says}", flush=True)
    if found.fault is None:
        return False
    traceback.print_exception(found.fault)
    print(f"  does not hold: {found.line(law)}", flush=True)
    if keep:
        with KEPT.open("a") as file:
            file.write(found.line(law) + "\n")
    return True


if __name__ == "__main__":
    threading.stack_size(_STACK)
    codes: list[int] = []
    thread = threading.Thread(target=lambda: codes.append(main()))
    thread.start()
    thread.join()
    sys.exit(codes[0] if codes else 1)
