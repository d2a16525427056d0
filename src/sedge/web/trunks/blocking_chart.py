"""Blocking over channels: the curve falls, the wanted blocking is a dashed line, trunks stand where
they are."""

import math

from markupsafe import Markup

from sedge.core.trunks.erlang import Advice

WIDTH, HEIGHT, LEFT, TOP, BOTTOM = 720, 250, 58, 14, 26
MARKS = (1.0, 0.1, 0.01, 0.001, 0.0001)
LOWEST = 0.0001


def blocking_chart(advice: Advice, bought: list[tuple[str, int]]) -> Markup:
    """SVG; `bought` are trunks with their channels. What it shows is told as its name."""
    most = len(advice.curve)

    def x(channels: float) -> float:
        return LEFT + (WIDTH - LEFT - 12) * (channels - 1) / max(1, most - 1)

    def y(share: float) -> float:
        depth = math.log10(max(share, LOWEST)) / math.log10(LOWEST)
        return TOP + (HEIGHT - TOP - BOTTOM) * depth

    line = " ".join(f"{x(n):.1f},{y(share):.1f}" for n, share in enumerate(advice.curve, 1))
    axis = Markup("").join(
        Markup('<text class="map-label" x="{}" y="{:.1f}" text-anchor="end">{:g} %</text>').format(
            LEFT - 7, y(mark) + 4, mark * 100
        )
        for mark in MARKS
    )
    every = max(1, round(most / 12))
    ground = Markup("").join(
        Markup('<text class="map-label" x="{:.1f}" y="{}" text-anchor="middle">{}</text>').format(
            x(n), HEIGHT - 8, n
        )
        for n in range(1, most + 1, every)
    )
    here = Markup("").join(
        Markup(
            '<g class="chart-mark"><path d="M{0:.1f} {1:.1f}V{2}"/>'
            '<text class="map-label" x="{3:.1f}" y="{4}" text-anchor="{5}">{6}</text></g>'
        ).format(
            x(n),
            y(advice.curve[n - 1]),
            HEIGHT - BOTTOM,
            x(n) + (-5 if n > most * 0.7 else 5),
            HEIGHT - BOTTOM - 8 - 15 * place,
            "end" if n > most * 0.7 else "start",
            f"{name}: {n}",
        )
        for place, (name, n) in enumerate(bought)
        if 1 <= n <= most
    )
    told = (
        f"{advice.load:g} erlangs: {advice.needed} channels for at most {advice.wanted:.2%} blocked"
    )
    return Markup(
        '<svg class="runway blocking" viewBox="0 0 {} {}" width="{}" height="{}" role="img"'
        ' aria-label="{}">{}{}<path class="runway-low" d="M{} {:.1f}H{}"/>'
        '<polyline class="runway-stair" points="{}"/>{}'
        '<circle class="chart-point" cx="{:.1f}" cy="{:.1f}" r="5"/></svg>'
    ).format(
        WIDTH,
        HEIGHT,
        WIDTH,
        HEIGHT,
        told,
        axis,
        ground,
        LEFT,
        y(advice.wanted),
        WIDTH - 12,
        line,
        here,
        x(max(1, advice.needed)),
        y(advice.curve[max(1, advice.needed) - 1]),
    )
