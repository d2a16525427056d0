"""Recorded greetings: bytes to what they are, judged by their content (libsndfile), never by their
name."""

import io
from dataclasses import dataclass

from sedge.core.callpaths.sound_rules import cautions_of, require_heard, require_length
from sedge.core.errors import NotUnderstood

MEDIA = {
    "WAV": "audio/wav",
    "WAVEX": "audio/wav",
    "RF64": "audio/wav",
    "MP3": "audio/mpeg",
    "MPEG": "audio/mpeg",
    "OGG": "audio/ogg",
}
MOST_BYTES = 30_000_000
A_SLICE = 65_536  # frames at a time, so that a long file takes little memory


@dataclass(frozen=True)
class SoundFacts:
    """`level` is the RMS in dB below full scale; `cautions` are sentences about what callers would
    dislike."""

    media: str
    seconds: float
    level: float
    rate: int
    cautions: tuple[str, ...] = ()


def look_into(data: bytes) -> SoundFacts:
    """What a WAV, MP3 or OGG file holds. Raises NotUnderstood with what is wrong and the way
    out."""
    import soundfile

    if not data:
        raise NotUnderstood(
            "The file is empty. Record or choose it again.", field="sound", reason="empty"
        )
    if len(data) > MOST_BYTES:
        raise NotUnderstood(
            f"The file has more than {MOST_BYTES // 1_000_000} MB; a greeting needs less than one.",
            field="sound",
            reason="too-big",
        )
    try:
        with soundfile.SoundFile(io.BytesIO(data)) as opened:
            media = MEDIA.get(opened.format)
            if media is None:
                raise NotUnderstood(
                    f"This is a {opened.format} file. Save it as WAV, MP3 or OGG.",
                    field="sound",
                    reason="format",
                )
            return _judged(opened, media)
    except soundfile.LibsndfileError as error:
        words = (
            "There is no sound in this file, whatever its name says. Choose a WAV, MP3 or OGG file."
        )
        raise NotUnderstood(words, field="sound", reason="no-sound") from error


def _judged(opened, media: str) -> SoundFacts:
    import numpy

    seconds = opened.frames / opened.samplerate if opened.samplerate else 0.0
    require_length(seconds)
    total, count, clipped = 0.0, 0, 0
    for block in opened.blocks(blocksize=A_SLICE, dtype="float32", always_2d=True):
        total += float(numpy.square(block, dtype="float64").sum())
        clipped += int((numpy.abs(block) >= 0.999).sum())
        count += block.size
    level = 10 * float(numpy.log10(max(total / max(count, 1), 1e-12)))
    require_heard(level)
    cautions = cautions_of(level, clipped / max(count, 1), opened.samplerate)
    return SoundFacts(media, round(seconds, 2), round(level, 1), opened.samplerate, cautions)
