"""Mail addresses as people type them."""

import pytest

from sedge.core.mail_addresses import is_mail_address


@pytest.mark.parametrize(
    ("text", "is_one"),
    [
        ("ana@example.com", True),
        ("ana+desk@sub.example.com", True),
        ("ana", False),
        ("ana@", False),
        ("@example.com", False),
        ("a b@example.com", False),
        ("ana@example.com\nbcc: x@example.com", False),
        ('"ana"@example.com', False),
        ("<ana@example.com>", False),
        ("a" * 65 + "@example.com", False),
        ("ana@@example.com", False),
        ("", False),
    ],
)
def test_what_is_one(text, is_one):
    assert is_mail_address(text) is is_one
