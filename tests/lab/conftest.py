"""The lab's own rule: where no real system can be built, its tests are skipped with the reason."""

import pytest

from tests.support import lab
from tests.support.still_archives import still_archives


def pytest_collection_modifyitems(items) -> None:
    reason = lab.why_not()
    for item in items:
        if "tests/lab/" in str(item.path):
            item.add_marker(pytest.mark.lab)
            if reason:
                item.add_marker(pytest.mark.skip(reason=reason))


@pytest.fixture(scope="session", autouse=True)
def _archives_stand_still():
    """No archive publishes between two looks of a test at it."""
    with still_archives():
        yield


@pytest.fixture(scope="session")
def bullseye():
    """The cached Debian 11 tree, which nobody changes."""
    return lab.bullseye()


@pytest.fixture(scope="session")
def with_init():
    """The cached Debian 11 tree that boots, which nobody changes."""
    return lab.with_init()


@pytest.fixture(scope="session")
def with_openrc():
    """The cached Debian 11 tree that boots by OpenRC, which nobody changes."""
    return lab.with_openrc()
