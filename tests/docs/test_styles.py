"""Our own styles keep to the scale of type; what is drawn in SVG has units of its own."""

import re

import pytest

from sedge.web.shared.assets import STATIC

CSS = STATIC / "css"
SIZES = {"xs", "s", "m", "l", "xl", "xxl"}


def test_the_scale_has_six_sizes_in_rem():
    scale = dict(re.findall(r"--text-(\w+): ([\d.]+rem);", (CSS / "colours.css").read_text()))
    assert set(scale) == SIZES
    sizes = [float(value.removesuffix("rem")) for value in scale.values()]
    assert sizes == sorted(sizes)


@pytest.mark.parametrize("sheet", ["layout", "parts", "work"])
def test_text_is_of_a_size_of_the_scale(sheet):
    found = re.findall(r"font-size: ([^;]+);", (CSS / f"{sheet}.css").read_text())
    assert found
    free = {size for size in found if not re.fullmatch(r"var\(--text-(\w+)\)", size)}
    assert free <= {"inherit", "0.97em"}
