"""``ewerer port``: one port, kept until the input ends; commands and answers are lines of JSON."""

from __future__ import annotations

import argparse
import json

from ..core.trade.errors import DocumentError, Problem
from ..ports.addresses import check_address, listed_addresses
from ..ports.base import PortError
from ..ports.keeper import keep
from .files import read


def run(args: argparse.Namespace) -> int:
    """Keep a port of the settings in a file."""
    try:
        settings = json.loads(read(args.settings))
        if not isinstance(settings, dict):
            raise ValueError
    except ValueError:
        raise DocumentError(
            [Problem(pointer="", message="the settings of a port are an object of JSON", expected='{"kind": ...}')]
        ) from None
    try:
        check_address(settings, listed_addresses())
    except PortError as error:
        raise DocumentError([Problem(pointer="", message=str(error), expected="an address that is allowed")]) from None
    return keep(settings)
