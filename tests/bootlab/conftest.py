"""Where nothing can be booted, these tests are skipped with the reason."""

import pytest

from tests.support import bootlab


def pytest_collection_modifyitems(items) -> None:
    reason = bootlab.why_not()
    for item in items:
        if "tests/bootlab/" in str(item.path) and reason:
            item.add_marker(pytest.mark.skip(reason=reason))
