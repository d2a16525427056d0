"""What a recorded greeting must be, and which keys a menu may have."""

import pytest

from sedge.core.callpaths.menu_keys import menu_keys
from sedge.core.callpaths.sound_rules import (
    LONGEST_SECONDS,
    SHORTEST_SECONDS,
    cautions_of,
    require_heard,
    require_length,
)
from sedge.core.errors import NotUnderstood


@pytest.mark.parametrize(
    ("seconds", "reason"), [(LONGEST_SECONDS + 1, "too-long"), (SHORTEST_SECONDS / 2, "too-short")]
)
def test_a_greeting_has_a_length_that_is_heard_to_its_end(seconds, reason):
    with pytest.raises(NotUnderstood) as caught:
        require_length(seconds)
    assert (caught.value.field, caught.value.reason) == ("sound", reason)
    require_length(LONGEST_SECONDS)
    require_length(SHORTEST_SECONDS)


def test_silence_is_refused_and_what_is_hard_to_hear_is_told():
    with pytest.raises(NotUnderstood) as caught:
        require_heard(-60.0)
    assert caught.value.reason == "silent"
    assert cautions_of(-20.0, 0.0, 8000) == ()
    assert "It is quiet (-40 dB)" in cautions_of(-40.0, 0.0, 8000)[0]
    assert len(cautions_of(-40.0, 0.5, 4000)) == 3


def test_a_key_stands_for_one_thing():
    assert menu_keys([("1", "visits", "key1"), ("#", "again", "key2")]) == {
        "1": "visits",
        "#": "again",
    }
    with pytest.raises(NotUnderstood) as caught:
        menu_keys([("1", "visits", "key1"), ("1", "shop", "key4")])
    assert (caught.value.field, "Key 1 is used twice" in caught.value.message) == ("key4", True)


@pytest.mark.parametrize("key", ["", "12", "A", "١"])
def test_a_key_is_one_of_a_telephone(key):
    with pytest.raises(NotUnderstood) as caught:
        menu_keys([(key, "visits", "key1")])
    assert caught.value.field == "key1"
