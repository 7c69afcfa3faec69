"""`python -m wetcomb`."""

from wetcomb.cli.main import run

if __name__ == "__main__":
    run()
