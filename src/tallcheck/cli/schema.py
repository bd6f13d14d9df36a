"""Print the JSON Schema of a machine sheet or a needs sheet."""

import argparse
import sys

EXAMPLE = "  tallcheck schema machine > machine.schema.json"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("sheet", choices=("machine", "needs"), help="which sheet's schema")


def run(args: argparse.Namespace) -> int:
    """Print the schema."""
    from tallcheck.files.json_out import json_text
    from tallcheck.files.sheets import schema

    sys.stdout.write(json_text(schema(args.sheet)))
    return 0
