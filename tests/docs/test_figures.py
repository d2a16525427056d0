"""What the measured work says got slower."""

from bench.figures import change, slower


def test_what_got_slower_is_said_by_its_unit():
    before = {"a": (10.0, "ms"), "b": (100.0, "rows/s"), "c": (10.0, "ms"), "d": (0.0, "s")}
    now = {
        "a": (12.0, "ms"),  # a fifth more: slower
        "b": (80.0, "rows/s"),  # a fifth fewer: slower
        "c": (11.0, "ms"),  # within what varies
        "d": (5.0, "s"),  # nothing to compare
        "e": (5.0, "s"),
    }
    assert slower(before, now) == [
        "slower: a, 10.0 to 12.0 ms (+20%)",
        "slower: b, 100.0 to 80.0 rows/s (-20%)",
    ]
    assert change(0, 5) == 0
