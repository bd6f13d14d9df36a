"""Print the JSON Schema of what is read (sheets) or of what a command writes as JSON."""

import argparse
import sys

from tallcheck.cli.outputs import OUTPUTS, schema_type

EXAMPLE = """  tallcheck schema machine > machine.schema.json
  tallcheck schema check > check.schema.json"""

SHEETS = ("machine", "needs")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    structured = [name for name, one in OUTPUTS.items() if one.structure is not None]
    parser.add_argument("what", choices=(*SHEETS, *structured), help="a sheet, or a command's JSON")


def run(args: argparse.Namespace) -> int:
    """Print the schema."""
    from tallcheck.core.values.text import json_text
    from tallcheck.files.sheets import schema, schema_of

    if args.what in SHEETS:
        found = schema(args.what)
    else:
        found = schema_of(schema_type(args.what), f"Tall Check {args.what}")
    sys.stdout.write(json_text(found))
    return 0
