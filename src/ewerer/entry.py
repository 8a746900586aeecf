"""The console script: hands core commands to the command line and web commands to the server."""

from __future__ import annotations

import gc
import os
from collections.abc import Sequence

# Ewerer uses no validation plugins; looking for some in every installed package costs time at every start.
os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
# A command builds its models, answers and ends: looking for circles of garbage on the way only costs time.
COLLECT = gc.get_threshold()
gc.set_threshold(200_000)


def main(argv: Sequence[str] | None = None) -> int:
    """Run ``ewerer``; return the exit code."""
    from . import cli

    args = cli.parser().parse_args(argv)
    if args.command in ("demo", "serve"):
        from .server.ops.serve import serve

        return serve(args.command, port=args.port, host=getattr(args, "host", "127.0.0.1"), data=args.data, collect=COLLECT)
    if args.command in ("doctor", "person", "backup", "restore"):
        from .server.ops import commands

        return commands.run(args)
    return cli.perform(args)


if __name__ == "__main__":
    raise SystemExit(main())
