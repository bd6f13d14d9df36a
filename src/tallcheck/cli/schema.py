"""Print the JSON Schema of what is read (sheets) or of what a command writes as JSON."""

import argparse
import sys
from importlib import import_module
from typing import Any

EXAMPLE = """  tallcheck schema machine > machine.schema.json
  tallcheck schema check > check.schema.json"""

SHEETS = ("machine", "needs")
OUTPUTS = {"check": "CheckOut", "plan": "PlanOut", "fleet": "FleetOut", "usage": "UsageOut",
           "confirm": "ConfirmOut"}  # fmt: skip
"""What is written, by the name of its type in ``report/NAME_json``."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """The options of this command."""
    parser.add_argument("what", choices=(*SHEETS, *OUTPUTS), help="a sheet, or a command's JSON")


def run(args: argparse.Namespace) -> int:
    """Print the schema."""
    from tallcheck.files.output import json_text
    from tallcheck.files.sheets import schema, schema_of

    if args.what in SHEETS:
        found = schema(args.what)
    else:
        module = import_module(f"tallcheck.report.{args.what}_json")
        kind: Any = getattr(module, OUTPUTS[args.what])
        found = schema_of(kind, f"Tall Check {args.what}")
    sys.stdout.write(json_text(found))
    return 0
