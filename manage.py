#!/usr/bin/env python3
"""The commands, for developers in a checkout."""

from saltwort.__main__ import main

if __name__ == "__main__":
    main()
