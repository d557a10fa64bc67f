"""The entry point: commands are loaded when they are called, and every error becomes a message and an exit code."""

from __future__ import annotations

import os
import signal
import sys
from importlib import import_module
from typing import Any, NoReturn

import click

from .. import __version__
from .starting import arrow_without_pandas, collect_nothing

# name: module and one line of help; the modules bring pyarrow and sqlglot in, which --help does not need
COMMANDS = {
    "demo": ("demo", "The whole way on a ferry company among made-up islands."),
    "draft": ("draft", "Write a world file for a model, with every guess spelled out."),
    "explain": ("explain", "How a world is filled, what is guessed, and what is impossible and why."),
    "fill": ("fill", "Make a world's rows and put them into a folder or an SQLite file."),
    "audit": ("audit", "Does the data there keep every rule that the model declares?"),
    "compare": ("compare", "Data that exists beside what a world makes: how far apart they are."),
    "peek": ("peek", "Counts, rows, or one row with both ends of its relationships."),
    "picture": ("picture", "Draw the relationship map of a world."),
    "kinds": ("kinds", "The kinds of value, with samples."),
    "grammar": ("grammar", "The world file's grammar as a JSON Schema."),
}
EXIT_USAGE, EXIT_FAULT, EXIT_INTERRUPTED = 2, 70, 130
OWN_PROCESS = object()  # what click's context holds where a command is all that the process does


class _Commands(click.Group):
    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, name: str) -> click.Command | None:
        if name not in COMMANDS:
            return None
        command: click.Command = getattr(import_module(f".{COMMANDS[name][0]}", __package__), name)
        if ctx.obj is OWN_PROCESS:
            arrow_without_pandas()
        return command

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands"):
            formatter.write_dl([(name, text) for name, (_, text) in COMMANDS.items()])

    def resolve_command(self, ctx: click.Context, args: list[str]) -> Any:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from ..model.problems import nearest

            raise click.UsageError(f"there is no command '{args[0]}'\n  {nearest(args[0], tuple(COMMANDS))}", ctx)
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 100})
@click.version_option(__version__, prog_name="weltigen", message="%(prog)s %(version)s")
@click.option("--debug", is_flag=True, help="Show where in the program an error comes from.")
def commands(debug: bool) -> None:
    """Large, realistic, consistent data for the model you have already declared.

    Begin with: weltigen demo
    """


def main(arguments: list[str] | None = None) -> NoReturn:
    """Run a command and leave with its exit code: 0 done, 1 findings, 2 usage, 3 refused, 4 impossible, 5 target failed."""
    own = arguments is None
    arguments = sys.argv[1:] if arguments is None else arguments
    signal.signal(signal.SIGTERM, _stop)
    if own:
        collect_nothing()
    written = sys.stdout
    try:
        obj = OWN_PROCESS if own else None
        code = commands.main(args=arguments, prog_name="weltigen", standalone_mode=False, obj=obj)
        sys.stdout.flush()
    except BaseException as error:
        if sys.stdout is not written:  # click puts another there, and leaves, when nobody reads on: which is not a fault
            sys.exit(0)
        if "--debug" in arguments and not isinstance(error, SystemExit | click.exceptions.Exit):
            raise
        code = _told(error)
    sys.exit(code if isinstance(code, int) else 0)


def _stop(*_: object) -> NoReturn:
    raise KeyboardInterrupt


def _told(error: BaseException) -> int:
    """Print what is to be said of an error, and give its exit code."""
    from ..model.problems import WeltigenError

    match error:
        case WeltigenError():
            _say("\n".join(map(str, error.problems)))
            return error.exit_code
        case click.exceptions.Exit():
            return error.exit_code
        case click.exceptions.Abort() | KeyboardInterrupt():
            _say("interrupted; nothing was kept")
            return EXIT_INTERRUPTED
        case click.ClickException():
            from .slips import hint_for

            context = getattr(error, "ctx", None)
            hint = hint_for(error, context)
            _say(error.format_message() + (f"\n  {hint}" if hint else ""))
            return EXIT_USAGE
        case BrokenPipeError():
            os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())  # whoever read us has seen enough
            return 0
        case SystemExit():
            return error.code if isinstance(error.code, int) else 0
        case MemoryError():
            _say("there is not enough memory for this; fewer --workers, or fewer rows, need less")
            return EXIT_FAULT
        case _:
            _say(f"this is a fault in weltigen: {type(error).__name__}: {error}")
            _say("  weltigen --debug … shows where; please report it")
            return EXIT_FAULT


def _say(text: str) -> None:
    from .show import err

    err(text)
