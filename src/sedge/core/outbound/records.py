"""Records of calls out: a site's own dial rules."""

from typing import Literal

from sedge.core.enums import Reached, Right
from sedge.core.facts import Fact


class OwnDialRule(Fact):
    """A rule that a site has besides its country's: of what `pattern` (a digit map) takes, `strip`
    keys are taken off the front and `before` is put there. `name` says what it is for."""

    name: str
    pattern: str
    leads_to: Literal[Reached.NUMBER, Reached.EXTENSION, Reached.SERVICE, Reached.REFUSED]
    strip: int = 0
    before: str = ""
    right: Right = Right.NATIONAL
