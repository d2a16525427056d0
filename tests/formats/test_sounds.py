"""Recorded greetings are judged by what they hold, not by what they are called."""

import io

import numpy
import pytest
import soundfile

from sedge.core.errors import NotUnderstood
from sedge.formats.sounds import look_into


def tone(seconds=2.0, level=0.2, rate=16_000, form="WAV", channels=1):
    samples = level * numpy.sin(2 * numpy.pi * 440 * numpy.arange(int(seconds * rate)) / rate)
    data = numpy.repeat(samples[:, None], channels, axis=1)
    out = io.BytesIO()
    soundfile.write(out, data, rate, format=form)
    return out.getvalue()


@pytest.mark.parametrize(
    ("form", "media"), [("WAV", "audio/wav"), ("MP3", "audio/mpeg"), ("OGG", "audio/ogg")]
)
def test_wav_mp3_and_ogg_are_taken(form, media):
    facts = look_into(tone(form=form))
    assert (facts.media, round(facts.seconds), facts.cautions) == (media, 2, ())
    assert -19 < facts.level < -15


def test_two_channels_are_one_level():
    assert abs(look_into(tone(channels=2)).level - look_into(tone()).level) < 0.5


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (b"", "empty"),
        (b"\x89PNG\r\n\x1a\n" + b"\0" * 4000, "no-sound"),
        (b"ID3 not really an mp3", "no-sound"),
        (tone(0.2), "too-short"),
        (tone(level=0.0), "silent"),
        (tone(form="FLAC"), "format"),
        (b"\0" * 30_000_001, "too-big"),
    ],
    ids=["empty", "picture", "renamed", "short", "silent", "flac", "big"],
)
def test_what_callers_could_not_hear_is_refused(data, reason):
    with pytest.raises(NotUnderstood) as caught:
        look_into(data)
    assert (caught.value.reason, caught.value.field) == (reason, "sound")


def test_half_an_hour_is_too_long_and_said_in_minutes():
    with pytest.raises(NotUnderstood) as caught:
        look_into(tone(1800, rate=8000))
    assert caught.value.message.startswith("It lasts 30 minutes; a greeting may last 5.")


@pytest.mark.parametrize(
    ("sound", "words"),
    [
        (tone(level=0.01), "quiet"),
        (tone(level=1.4), "overdriven"),
        (tone(rate=4000), "fewer samples"),
    ],
)
def test_what_callers_would_dislike_is_said(sound, words):
    assert any(words in caution for caution in look_into(sound).cautions)
