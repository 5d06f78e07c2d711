"""The console command `saltwort`: `saltwort serve`, `saltwort lint CONFIG`, and the other commands."""

import os
import sys


def main() -> None:
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "saltwort.server.settings")
    from django.core.management import execute_from_command_line

    if len(sys.argv) < 2 or sys.argv[1:] in (["help"], ["--help"], ["-h"]):
        print(_overview())
        return
    execute_from_command_line(sys.argv)


def _overview() -> str:
    import django
    from django.core.management import get_commands, load_command_class

    django.setup()
    ours = sorted(name for name, app in get_commands().items() if app == "saltwort.server")
    lines = [f"  {name:14} {load_command_class('saltwort.server', name).help}" for name in ours]
    return "\n".join(["saltwort COMMAND …", "", *lines, "", "saltwort COMMAND --help says more."])


if __name__ == "__main__":
    main()
