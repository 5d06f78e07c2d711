"""What sets the environment variable for a config that was unpacked somewhere: scripts that find it beside them."""

OCIO_VARIABLE = "OCIO"


def launchers(config_file: str) -> dict[str, str]:
    """Scripts by name, for a config at `config_file`, a path from the folder above them with slashes. Each sets the
    variable and starts what it is given; given nothing, it says what it would set."""
    backwards = config_file.replace("/", "\\")
    return {
        "start.sh": _SH.format(file=config_file),
        "start.ps1": _POWERSHELL.format(file=config_file),
        "start.cmd": _CMD.format(file=backwards).replace("\n", "\r\n"),
        "start.desktop": _DESKTOP,
    }


def how_to_see() -> str:
    """How to see that the variable is set, and which config an application uses."""
    return (
        'Linux, macOS: echo "$OCIO"\n'
        "PowerShell: $env:OCIO\n"
        "Command Prompt: echo %OCIO%\n"
        "In the application: it shows the name of the config in its colour settings; the sheet says which it must be."
    )


_SH = """#!/bin/sh
# Starts an application with this config: sh start.sh APPLICATION [ARGUMENT…]
here=$(CDPATH= cd -- "$(dirname -- "$0")/.." && pwd) || exit 1
OCIO="$here/{file}"
export OCIO
if [ "$#" -eq 0 ]; then
  printf 'export OCIO="%s"\\n' "$OCIO"
else
  exec "$@"
fi
"""
_POWERSHELL = """# Starts an application with this config: .\\start.ps1 APPLICATION [ARGUMENT…]
$here = Split-Path -Parent $PSScriptRoot
$env:OCIO = Join-Path $here "{file}"
if ($args.Count -eq 0) {{
  Write-Output "`$env:OCIO = `"$env:OCIO`""
}} else {{
  $program = $args[0]
  $rest = @($args | Select-Object -Skip 1)
  & $program @rest
}}
"""
_CMD = """@echo off
rem Starts an application with this config: start.cmd APPLICATION [ARGUMENT...]
for %%I in ("%~dp0..") do set "OCIO=%%~fI\\{file}"
if "%~1"=="" (
  echo set "OCIO=%OCIO%"
) else (
  %*
)
"""
_DESKTOP = """[Desktop Entry]
Type=Application
Name=Application with the project's config
Comment=Put the application's command in the place of APPLICATION
Terminal=false
Exec=sh -c 'exec sh "$(dirname "$1")/start.sh" APPLICATION' sh %k
"""
