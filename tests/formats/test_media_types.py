"""What a file is is told by what stands in it, not by its name."""

import pytest

from sedge.core.errors import NotUnderstood
from sedge.formats.media_types import media_type_of


@pytest.mark.parametrize(
    ("content", "media_type"),
    [
        (b"%PDF-1.7\n", "application/pdf"),
        (b"\x89PNG\r\n\x1a\n\x00\x00", "image/png"),
        (b"\xff\xd8\xff\xe0\x00\x10JFIF", "image/jpeg"),
    ],
)
def test_it_is_told_by_its_first_bytes(content, media_type):
    assert media_type_of(content) == media_type


@pytest.mark.parametrize(
    "content",
    [
        b"",
        b"%PD",
        b" %PDF-1.7",
        b"<svg xmlns='http://www.w3.org/2000/svg'/>",
        b"<!DOCTYPE html>",
        b"GIF89a",
        b"PK\x03\x04",
        b"\x89PNG\n\x1a\n",
    ],
)
def test_anything_else_is_refused(content):
    with pytest.raises(NotUnderstood, match="no PDF, PNG or JPEG") as refused:
        media_type_of(content)
    assert refused.value.field == "file"
