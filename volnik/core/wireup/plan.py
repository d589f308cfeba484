"""All the steps of a rig's Wire-up, from what stands and what is planned."""

from __future__ import annotations

from volnik.core.path.analysis import WiringAnalysis
from volnik.core.path.work import difference
from volnik.core.wireup.power_down import make_ready, power_down
from volnik.core.wireup.power_up import closing, monitor, restoring
from volnik.core.wireup.steps import Step, ordered
from volnik.core.wireup.switching import Switches, Switching
from volnik.core.wireup.wires import lugs, take_out_and_fit


def steps_for(
    stands: WiringAnalysis,
    planned: WiringAnalysis,
    *,
    silhouette: str = "van",
    school: str = "bolted_once",
    version: str = "",
    sheet: tuple[str, ...] = (),
    dialect: str = "",
) -> list[Step]:
    """The steps that turn what stands into what is planned, in order; none when nothing is to be done.

    Power-down is made for what stands, everything from the rig-side lugs on for what is planned.

    Args:
        silhouette: what kind of rig.
        school: key of a `ClosingSchool`.
        version, sheet, dialect: as of `monitor`.
    """
    work = difference(stands, planned)
    if not work:
        return []
    switching = Switching(Switches(stands), Switches(planned))
    return ordered(
        [
            *make_ready(stands, silhouette=silhouette),
            *power_down(switching),
            *take_out_and_fit(stands, planned, work),
            *lugs(planned, work),
            *closing(switching.planned, school),
            *restoring(switching),
            *monitor(planned, version=version, sheet=sheet, dialect=dialect),
        ]
    )
