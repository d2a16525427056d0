"""An organisation's policy, with defaults from the trade (47 CFR 52.15(f), see docs); data, not
branches."""

from dataclasses import dataclass

from sedge.core.numbers.plan import Kind


@dataclass(frozen=True)
class Policy:
    """Days of rest between two holders, of a reservation, and between two confirmations of a
    spot."""

    rest_days: int = 90
    rest_days_toll_free: int = 120
    reserved_days: int = 180
    confirm_days: int = 365
    floors_need_detail: int = 1
    area_needs_detail_m2: int = 3700

    def reserve(self, in_use: int) -> int:
        """How many free numbers a site keeps for who comes next: a tenth of those in use, five at
        least."""
        return max(5, in_use // 10)

    def rest(self, kind: Kind) -> int:
        return self.rest_days_toll_free if kind is Kind.TOLL_FREE else self.rest_days


POLICY = Policy()
