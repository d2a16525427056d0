"""What a recorded greeting must be, however it is stored: long enough, and heard."""

from sedge.core.errors import NotUnderstood

LONGEST_SECONDS, SHORTEST_SECONDS = 300, 0.5
SILENT_DB, QUIET_DB = -55.0, -32.0  # RMS below full scale
CLIPPED_SHARE = 0.001  # of the samples, at full scale
TELEPHONE_RATE = 8000  # samples a second (ITU-T G.711)


def require_length(seconds: float) -> None:
    """Raises NotUnderstood for a sound that nobody would hear, or hear to its end."""
    if seconds > LONGEST_SECONDS:
        raise NotUnderstood(
            f"It lasts {seconds / 60:.0f} minutes; a greeting may last {LONGEST_SECONDS // 60}."
            " Cut it, or use music on hold for what plays on.",
            field="sound",
            reason="too-long",
        )
    if seconds < SHORTEST_SECONDS:
        raise NotUnderstood(
            "It lasts less than half a second, so nobody would hear it.",
            field="sound",
            reason="too-short",
        )


def require_heard(level: float) -> None:
    """Raises NotUnderstood for silence; `level` is the RMS in dB below full scale."""
    if level < SILENT_DB:
        raise NotUnderstood(
            "It is silent. Look whether the microphone was on, and record it again.",
            field="sound",
            reason="silent",
        )


def cautions_of(level: float, clipped_share: float, rate: int) -> tuple[str, ...]:
    """Sentences about what callers would dislike; `rate` in samples a second."""
    cautions = []
    if level < QUIET_DB:
        cautions.append(f"It is quiet ({level:.0f} dB); callers on the move won't understand it.")
    if clipped_share > CLIPPED_SHARE:
        cautions.append("It is overdriven in places and will sound harsh.")
    if rate < TELEPHONE_RATE:
        cautions.append("It has fewer samples than a telephone line carries.")
    return tuple(cautions)
