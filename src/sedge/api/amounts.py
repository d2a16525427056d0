"""Amounts in the JSON interface: decimal texts that mean the same everywhere, never read by a
locale."""

from typing import Annotated

from pydantic import Field

Amount = Annotated[
    str,
    Field(
        max_length=20,
        pattern=r"^-?[0-9]{1,12}(\.[0-9]{1,2})?$",
        description="digits, and a point before at most two places, in the currency of the account",
        examples=["250.00"],
    ),
]
OptionalAmount = Annotated[
    str,
    Field(
        max_length=20,
        pattern=r"^(-?[0-9]{1,12}(\.[0-9]{1,2})?)?$",
        description="as an amount; empty: none",
    ),
]
