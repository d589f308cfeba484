"""The command line as another program would call it."""

import contextlib
import io
from unittest import mock

from volnik.cli import main


def run_volnik(*words):
    """(exit code, standard output, standard error)."""
    out, err = io.StringIO(), io.StringIO()
    with (
        mock.patch("sys.argv", ["volnik", *words]),
        contextlib.redirect_stdout(out),
        contextlib.redirect_stderr(err),
    ):
        try:
            main()
            code = 0
        except SystemExit as ended:
            code = ended.code or 0
    return code, out.getvalue(), err.getvalue()
