"""Tokens of links that need no account: whose they are is told, and nobody guesses one."""

import pytest

from sedge.core.access.one_time import digest_of, new_token, organisation_in


def test_a_token_says_whose_organisation_it_belongs_to():
    token = new_token("observatory-friends")
    assert organisation_in(token) == "observatory-friends"
    assert len(token.partition(".")[2]) >= 32


def test_no_two_tokens_are_alike_nor_what_is_kept_of_them():
    tokens = {new_token("lanternfield") for _ in range(200)}
    assert len(tokens) == 200
    assert len({digest_of(token) for token in tokens}) == 200


def test_what_is_kept_does_not_say_what_the_token_was():
    token = new_token("lanternfield")
    kept = digest_of(token)
    assert kept == digest_of(token)
    assert len(kept) == 64
    assert token.partition(".")[2] not in kept


@pytest.mark.parametrize(
    "token", ["", ".", "lanternfield", "lanternfield.", "lanternfield.short", "x." + "y" * 61]
)
def test_what_can_not_be_a_token_belongs_to_nobody(token):
    assert organisation_in(token) == ""
