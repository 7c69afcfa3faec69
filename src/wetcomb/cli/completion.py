"""wetcomb completion: let a shell complete commands and options."""

from __future__ import annotations

import argparse
import sys

from wetcomb.cli.parser import Parser

__all__ = ["DESCRIPTION", "SUMMARY", "add_options", "run"]

SUMMARY = "print what a shell needs to complete commands and options"
DESCRIPTION = """\
Print the lines that let a shell complete wetcomb's commands and options.

  wetcomb completion bash >> ~/.bashrc
"""


def add_options(parser: Parser) -> None:
    """Add the options of this command."""
    parser.add_argument(
        "shell", choices=("bash", "zsh", "fish"), metavar="SHELL", help="bash, zsh or fish"
    )
    parser.add_argument("-h", "--help", action="help", help="show this help")


def run(arguments: argparse.Namespace) -> int:
    """Run this command; return the exit status."""
    from argcomplete.shell_integration import shellcode

    sys.stdout.write(shellcode(["wetcomb"], shell=arguments.shell))
    return 0
