"""Words that several pages of call paths share."""

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


def more_words(numbers: int) -> str:
    """How many numbers follow a path besides the one that is named."""
    return (
        "nobody follows it yet"
        if not numbers
        else (
            f"and {numbers - 1} more number{'s' if numbers > 2 else ''}"
            if numbers > 1
            else "the only number"
        )
    )
