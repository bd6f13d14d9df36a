"""Print the JSON Schema of a machine sheet or a needs sheet."""

import argparse
import sys

EXAMPLE = "  tallcheck schema machine > machine.schema.json"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("sheet", choices=("machine", "needs"), help="which sheet's schema")


def run(args: argparse.Namespace) -> int:
    """Print the schema."""
    import msgspec

    from tallcheck.files.sheets import schema

    encoded = msgspec.json.encode(schema(args.sheet))
    sys.stdout.write(msgspec.json.format(encoded, indent=2).decode() + "\n")
    return 0
