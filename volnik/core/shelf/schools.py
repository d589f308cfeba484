"""Schools: the ways practitioners choose charged voltage, tail current and hold time, each with its reason
and its doubt.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from volnik.core.values import Plain

Word = Annotated[str, Field(max_length=40)]
Told = Annotated[str, Field(max_length=400)]


class School(Plain):
    """One way to choose when a bank is full. Source: trade practice, docs/domain/numbers.md.

    Attributes:
        base: what the volts are taken from: a charger's float or absorption, the highest of all chargers, or
            a fixed figure a cell.
        offset_v: added to it, a 12 V bank; for "cell" the volts a cell themselves [V].
        tail_pct, hold_s: [% of C, s].
        chemistries: it is used on; none is all.
        reason: why it is held.
        against: what speaks against it.
    """

    key: Annotated[str, Field(pattern=r"^[a-z0-9_.-]{1,40}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    base: Literal["float", "absorption", "highest", "cell"]
    offset_v: Annotated[float, Field(ge=-3, le=5)]
    tail_pct: Annotated[float, Field(gt=0, le=20)]
    hold_s: Annotated[float, Field(ge=0, le=7200)]
    chemistries: Annotated[tuple[Word, ...], Field(max_length=8)] = ()
    reason: Told = ""
    against: Told = ""
    source: Annotated[str, Field(max_length=80)] = "trade practice"

    def charged_v(
        self, *, absorption_v: float, float_v: float, highest_v: float, cells: int, per_12v: float
    ) -> float:
        """The charged voltage it gives on a bank [V].

        Args:
            absorption_v: of the charger [V].
            float_v: of the charger [V].
            highest_v: the highest volts a charger reaches [V].
            cells: of the bank in series.
            per_12v: volts of the system over 12 V.
        """
        if self.base == "cell":
            return round(self.offset_v * cells, 2)
        start = {"float": float_v, "absorption": absorption_v, "highest": highest_v}[self.base]
        return round(start + self.offset_v * per_12v, 2)


SCHOOLS: tuple[School, ...] = (
    School(
        key="under-float",
        name="Float less 0.3 V",
        base="float",
        offset_v=-0.3,
        tail_pct=4,
        hold_s=180,
        reason=(
            "With a steady mains charger, volts near float and a small current mean the charger has finished."
        ),
        against="On lithium those are volts of a half-full battery: any hour of weak sun meets it there.",
    ),
    School(
        key="under-absorption",
        name="Absorption less 0.3 V, 4 %",
        base="absorption",
        offset_v=-0.3,
        tail_pct=4,
        hold_s=180,
        reason="Sun and other changing sources: only a battery near the end of absorption holds such volts.",
        against="Sits at a cliff where a charger absorbs only a little above it.",
    ),
    School(
        key="under-absorption-2",
        name="Absorption less 0.3 V, 2 %",
        base="absorption",
        offset_v=-0.3,
        tail_pct=2,
        hold_s=180,
        reason="Chosen on boats with solar: a small tail waits for a real taper.",
        against="A load left running can keep the current above so small a tail for days.",
    ),
    School(
        key="balance",
        name="Where balancing begins",
        base="cell",
        offset_v=3.55,
        tail_pct=4,
        hold_s=180,
        chemistries=("lfp",),
        reason="3.55 V a cell is where cells begin to be balanced, so the battery is certainly full.",
        against="A charger set to exactly that, less its cable, never reaches it: a knife's edge.",
    ),
    School(
        key="highest",
        name="Highest less 0.1 V, long hold",
        base="highest",
        offset_v=-0.1,
        tail_pct=5,
        hold_s=600,
        reason="Just under the top with a wide tail; the long hold outlasts a passing cloud.",
        against=(
            "On lithium the taper itself may be over before the hold is; a warm day lowers lead chargers "
            "below it."
        ),
    ),
    School(
        key="three-fifty",
        name="3.50 V a cell, 2 %",
        base="cell",
        offset_v=3.50,
        tail_pct=2,
        hold_s=180,
        chemistries=("lfp",),
        reason="Raised to there after false resets in weak sun.",
        against="A charger held at 13.8 V never meets it.",
    ),
    School(
        key="rest",
        name="From a rest reading",
        base="cell",
        offset_v=3.40,
        tail_pct=4,
        hold_s=180,
        chemistries=("lfp",),
        reason="Set from volts seen some hours after a charge.",
        against="A full battery rests nearly there: nothing then tells full from nearly full.",
    ),
    School(
        key="delivered",
        name="Left as delivered",
        base="cell",
        offset_v=3.30,
        tail_pct=4,
        hold_s=180,
        chemistries=("lfp",),
        reason="The value some monitors come with.",
        against="Mid-plateau: met at half charge by any weak source.",
    ),
)
