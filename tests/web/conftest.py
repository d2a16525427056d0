"""What the tests of pages share: somebody who is signed in."""

import shutil

import pytest


@pytest.fixture
def rowan(client):
    client.post("/sign-in", data={"who": "rowan"})
    return client


@pytest.fixture(scope="module")
def reader(seeded, tmp_path_factory):
    """Signed in on one house for all tests of a module that only look."""
    from starlette.testclient import TestClient

    from sedge.app import create_app, open_house
    from sedge.settings import Settings
    from sedge.standins.app import StandinServer

    folder = tmp_path_factory.mktemp("reader") / "data"
    shutil.copytree(seeded, folder)
    standins = StandinServer(folder).start(ticking=False)
    opened = open_house(Settings(data=folder, demo=True, durable=False, runner=False), standins.url)
    with TestClient(create_app(opened), base_url="http://127.0.0.1:8420", follow_redirects=False) as client:
        client.post("/sign-in", data={"who": "rowan"})
        yield client
    opened.close()
    standins.stop()
