"""What the headless commands share: JSON out, one-line reasons, exit codes."""

import json
import sys
from collections.abc import Callable, Iterable, Mapping
from typing import Any, ClassVar

from django.core.management.base import BaseCommand, CommandError
from django.db import OperationalError

from saltwort.core.errors import BadInput


class HeadlessCommand(BaseCommand):
    """JSON on standard output, messages on standard error; exit code 0, or 2 with a one-line reason."""

    requires_system_checks: ClassVar[list[str]] = []

    def execute(self, *args: Any, **options: Any) -> str | None:
        try:
            return super().execute(*args, **options)
        except BadInput as error:
            raise CommandError(str(error).replace("\n", " "), returncode=2) from error
        except OperationalError as error:
            raise CommandError(f"The database does not answer ({error}); start Saltwort once.", returncode=2) from error
        except CommandError as error:
            error.returncode = 2
            raise

    def print_json(self, value: Any) -> None:
        self.stdout.write(json.dumps(value, ensure_ascii=False, indent=2, allow_nan=False))

    def print_rows(self, rows: Iterable[Any]) -> None:
        """A list as JSON, a row in each line: of a hundred thousand, indenting would take longer than all else."""
        as_line = json.JSONEncoder(ensure_ascii=False, allow_nan=False).encode
        self.stdout.write("[" + ",\n".join(map(as_line, rows)) + "]")

    def print_lines(self, lines: Iterable[str]) -> None:
        """Text for people."""
        for line in lines:
            self.stdout.write(line)

    def progress(self, options: Mapping[str, Any]) -> Callable[[float, str], None]:
        """Tells how far the work is, where that is asked for."""

        def told(share: float, doing: str) -> None:
            if options["verbosity"] > 1:
                self.say(f"{share:4.0%} {doing}")

        return told

    def say(self, message: str) -> None:
        """A message that is not the answer."""
        print(message, file=sys.stderr)
