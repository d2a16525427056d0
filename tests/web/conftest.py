"""What the tests of pages share: somebody who is signed in."""

import pytest


@pytest.fixture
def rowan(client):
    client.post("/sign-in", data={"who": "rowan"})
    return client


@pytest.fixture(scope="module")
def reader(shared):
    """Signed in on one installation for all tests of a module that only look."""
    shared.post("/sign-in", data={"who": "rowan"})
    return shared
