"""The organisation's directory of people, asked over SCIM 2.0 (RFC 7644)."""

from typing import Any

from sedge.outside.http import Service

A_PAGE = 200
MOST_PAGES = 2000


class Directory(Service):
    """A SCIM service provider that has users and groups."""

    def users(self) -> list[dict[str, object]]:
        """Every user resource, page by page. Raises OutsideSilent, OutsideRefused."""
        return self._all("Users")

    def groups(self) -> list[dict[str, Any]]:
        return self._all("Groups")

    def _all(self, kind: str) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = []
        for _ in range(MOST_PAGES):
            page = self.call("GET", kind, params={"startIndex": len(found) + 1, "count": A_PAGE})
            found += page["Resources"]
            if not page["Resources"] or len(found) >= page["totalResults"]:
                break
        return found
