"""The life strip: a number's stretches from order to today, widths by the square root of their
time, so that days stay visible."""

from collections.abc import Sequence
from datetime import datetime
from typing import Protocol

from markupsafe import Markup

from sedge.core.numbers.life import ENDED, State

WIDTH, HEIGHT, MOST = 408, 58, 7
LETTER = 6.4  # units a letter of a label takes
DATES = ("%-d %b %Y", "%b %Y", "%b %y")  # as much of a day as there is room for


class Stretch(Protocol):
    @property
    def state(self) -> State: ...
    @property
    def holder(self) -> str: ...
    @property
    def since(self) -> datetime: ...
    @property
    def until(self) -> datetime | None: ...


def strip(stretches: Sequence[Stretch], now: datetime) -> Markup:
    """SVG of a life; the same told in words as its title."""
    shown = list(stretches)[-MOST:]
    if not shown:
        return Markup("")
    lengths = [max(((s.until or now) - s.since).total_seconds(), 1) ** 0.5 for s in shown]
    least = WIDTH / (len(shown) * 2.2)
    scale = (WIDTH - least * len(shown)) / sum(lengths)
    parts, x = [], 6.0
    for s, length in zip(shown, lengths, strict=True):
        width = least + length * scale
        kind = s.state.value.replace(" ", "-")
        if s.state not in ENDED:
            parts.append(
                Markup(
                    '<line class="strip-line strip-{}" x1="{:.1f}" x2="{:.1f}" y1="10" y2="10"/>'
                ).format(kind, x, x + width - 6)
            )
        parts.append(
            Markup('<circle class="strip-dot strip-{}" cx="{:.1f}" cy="10" r="5"/>').format(kind, x)
        )
        parts.append(
            Markup('<text class="strip-label" x="{:.1f}" y="34">{}</text>').format(
                x - 5, _fitted(_label(s), width)
            )
        )
        parts.append(
            Markup('<text class="strip-label strip-day" x="{:.1f}" y="51">{}</text>').format(
                x - 5, _day(s.since, width)
            )
        )
        x += width
    told = "; ".join(f"{s.since:%-d %b %Y} {_label(s)}" for s in shown)
    return Markup(
        '<svg class="strip" viewBox="0 0 {} {}" width="100%" role="img" aria-label="{}">{}</svg>'
    ).format(WIDTH + 12, HEIGHT, told, Markup("").join(parts))


def _label(stretch: Stretch) -> str:
    if stretch.holder:
        names = stretch.holder.split()
        return f"to {names[0][0]}. {names[-1]}" if len(names) == 2 else f"to {stretch.holder}"
    words = {
        State.ON_ORDER: "ordered",
        State.AVAILABLE: "available",
        State.AGING: "aging",
        State.ADMINISTRATIVE: "set aside",
    }
    return words.get(stretch.state, stretch.state.value)


def _day(since: datetime, width: float) -> str:
    written = (since.strftime(form) for form in DATES)
    return next((text for text in written if len(text) * LETTER <= width), "")


def _fitted(text: str, width: float) -> str:
    most = max(3, int(width / LETTER))
    return text if len(text) <= most else text[: most - 1].rstrip() + "…"
