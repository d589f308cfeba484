"""Every route asked as its OpenAPI description says, and beside it; none may fail inside."""

import unittest
import warnings

from hypothesis import HealthCheck, Phase, given, seed, settings

from tests.siege.fuzz import LONG, Fuzzed
from tests.web.shops import visitor


def described(each: int = 15) -> Fuzzed:
    """So many questions to each operation.

    Raises:
        SkipTest: when schemathesis is not installed (`make siege` installs it where it may).
    """
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            import schemathesis
    except ImportError:
        raise unittest.SkipTest("schemathesis is not installed") from None
    found = Fuzzed()
    with visitor(demo=True) as client:
        schema = schemathesis.openapi.from_dict(client.app.openapi())
        for operation in schema.get_all_operations():
            known = operation.ok()
            if known.path not in LONG:
                _ask(client, known, each, found)
    return found


def _ask(client, operation, each: int, found: Fuzzed) -> None:
    @seed(1)
    @settings(
        max_examples=each,
        deadline=None,
        database=None,
        phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )
    @given(case=operation.as_strategy())
    def ask(case) -> None:
        body = {"json": case.body} if case.media_type == "application/json" else {}
        answer = client.request(
            case.method,
            case.formatted_path,
            params=case.query,
            headers={"x-form-token": client.token()},
            follow_redirects=False,
            **body,
        )
        found.asked += 1
        found.codes[answer.status_code] += 1
        if answer.status_code >= 500 and answer.status_code not in (503, 507):
            found.failed.append(f"{case.method} {answer.request.url} {str(body)[:200]}")

    ask()
