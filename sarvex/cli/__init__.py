"""The command line: the core without a server, for pipelines and checks; and the server's own commands."""

from sarvex.cli.commands import app

__all__ = ["app"]
