"""Records of calls out: a site's own dial rules, and the organisation's outbound routes."""

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


class OutboundRoute(Fact):
    """Which trunks take calls to `destinations` (the first digits of E.164, `+` for all), tried in
    their order or the cheapest first; from the `sites`, or from every one where none is named.
    Without a trunk such calls are refused."""

    name: str
    destinations: tuple[str, ...]
    sites: tuple[str, ...] = ()
    trunks: tuple[str, ...] = ()
    cheapest: bool = False
