"""What the tests of pages share: somebody who is signed in."""

import pytest


@pytest.fixture
def rowan(client):
    client.post("/sign-in", data={"who": "rowan"})
    return client
