"""An organisation in which there is nothing yet: every page answers, and says what comes first
instead of offering a list to choose from in which nothing stands."""

import re

import pytest

from tests.web.test_pages import PAGES


@pytest.fixture(scope="module")
def nothing_yet(shared):
    """Signed in to an organisation that has just been made."""
    shared.post("/sign-in", data={"who": "rowan"})
    made = shared.post(
        "/organisations/new",
        data={"name": "Fenwick Ceramics", "country": "GB", "token": "t1", "what": "create"},
    )
    assert made.status_code == 303, made.text
    return shared


LIST = re.compile(r"<select([^>]*)>(.*?)</select>", re.S)


def test_no_list_to_choose_from_is_empty(nothing_yet):
    answered, empty = 0, []
    for address in PAGES:
        page = nothing_yet.get(address)
        assert page.status_code < 500, f"{address}: {page.text[:300]}"
        if page.status_code == 200:
            answered += 1
            empty += [
                f"{address}: {attributes}"
                for attributes, options in LIST.findall(page.text)
                if "multiple" not in attributes and "<option" not in options
            ]
    assert answered > 60
    assert not empty, "\n".join(empty)
