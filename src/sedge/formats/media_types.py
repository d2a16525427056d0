"""What an uploaded file is, by what stands in it."""

from sedge.core.errors import NotUnderstood

SIGNATURES = (
    (b"%PDF-", "application/pdf"),
    (b"\x89PNG\r\n\x1a\n", "image/png"),
    (b"\xff\xd8\xff", "image/jpeg"),
)


def media_type_of(content: bytes) -> str:
    """By content, whatever the name says. Raises NotUnderstood for anything but PDF, PNG, JPEG."""
    for signature, media_type in SIGNATURES:
        if content.startswith(signature):
            return media_type
    raise NotUnderstood(
        "This is no PDF, PNG or JPEG. Save it as PDF, or take a picture of it.", field="file"
    )
