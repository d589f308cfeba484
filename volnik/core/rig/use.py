"""How a rig is used and where: what a simulated season needs beyond the Survey.

Every figure has a starting one.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from volnik.core.values import Plain

Sky = Literal["sunny", "mixed", "cloudy"]
SeasonName = Literal["winter", "spring", "summer", "autumn"]
SKIES: dict[str, str] = {"sunny": "mostly sunny", "mixed": "mixed", "cloudy": "mostly cloudy"}
SEASONS: tuple[SeasonName, ...] = ("spring", "summer", "autumn", "winter")


class Use(Plain):
    """The use section of the rig document; source of the starting figures: estimate.

    Attributes: drive_days a week, drive_h on each of them [h]; shore_nights a week; sky; season of the map;
    summer_c, winter_c, mean air temperatures [degrees C], None follows the latitude.
    """

    drive_days: Annotated[float, Field(ge=0, le=7)] = 3.0
    drive_h: Annotated[float, Field(ge=0, le=16)] = 1.2
    shore_nights: Annotated[float, Field(ge=0, le=7)] = 1.0
    sky: Sky = "mixed"
    season: SeasonName = "spring"
    summer_c: Annotated[float, Field(ge=-40, le=55)] | None = None
    winter_c: Annotated[float, Field(ge=-50, le=45)] | None = None

    def mean_c(self, season: str, latitude: float) -> float:
        """Mean air temperature of a season [degrees C]: as given, else by latitude (estimate)."""
        summer = 29.0 - 0.22 * abs(latitude) if self.summer_c is None else self.summer_c
        winter = 26.0 - 0.40 * abs(latitude) if self.winter_c is None else self.winter_c
        return {"summer": summer, "winter": winter}.get(season, 0.5 * (summer + winter))
