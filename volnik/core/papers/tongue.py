"""The language of what an owner reads: its phrases, numbers, units and days.

Phrases stand in English in the code and are looked up in `locale/LANGUAGE.po` (gettext); numbers and days
follow the language by Babel (CLDR). Docs: docs/languages.md.
"""

from __future__ import annotations

import gettext
import io
import tomllib
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from zoneinfo import ZoneInfo

from babel import Locale
from babel.dates import format_date, format_skeleton, format_time
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po
from babel.numbers import format_decimal
from babel.units import format_unit

from volnik.core.rig.languages import LANGUAGES

FOLDER = Path(__file__).parent / "locale"
CONFIRMED = FOLDER / "confirmed.toml"

QUOTED = "“{words}” (in English)"
FOOT_M = 0.3048
SIGNIFICANT = "0.######"  # as many digits as a figure has, up to six after the mark


@dataclass(frozen=True, slots=True)
class Tongue:
    """A language.

    Attributes:
        key: of LANGUAGES.
        locale: how it writes figures and days.
        phrases: what each English phrase is in it.
        confirmed: whether a native reader has confirmed its cautions; until then the English stands beside.
    """

    key: str
    locale: Locale
    phrases: gettext.NullTranslations
    confirmed: bool

    def __call__(self, phrase: str, /, **values: str) -> str:
        """A phrase with its values, each already said in this language."""
        return self.phrases.gettext(phrase).format(**values)

    def caution(self, phrase: str, /, **values: str) -> str:
        """A phrase that keeps someone from harm: until it is confirmed, with the English beside it."""
        said = self(phrase, **values)
        return said if self.confirmed else f"{said} [{phrase.format(**values)}]"

    def known(self, words: str) -> str:
        """Words that come from a table of Volnik's: translated where they are known, else quoted.

        Args:
            words: in English.
        """
        found = self.phrases.gettext(words) if words else ""
        return found if found != words else self.quoted(words)

    def quoted(self, words: str) -> str:
        """Words that are there in English only, marked as such.

        Args:
            words: in English.
        """
        return words if self.is_english or not words else self(QUOTED, words=words)

    @property
    def is_english(self) -> bool:
        """Whether it is English, of either kind."""
        return self.locale.language == "en"

    @property
    def tag(self) -> str:
        """Its name as a document has it, such as "en-GB"."""
        return str(self.locale).replace("_", "-")

    def inside(self, words: str) -> str:
        """Words as they stand inside a sentence: small in English, as they are where nouns are not.

        Args:
            words: in this language.
        """
        return words.lower() if self.is_english else words

    def number(self, value: float, digits: int = 0) -> str:
        """A number, thousands not set apart.

        Args:
            value: the number.
            digits: after the mark.
        """
        pattern = "0." + "0" * digits if digits else "0"
        return format_decimal(round(value, digits), pattern, self.locale, decimal_quantization=True)

    def figure(self, value: float) -> str:
        """A number with the digits it has.

        Args:
            value: the number.
        """
        return format_decimal(value, SIGNIFICANT, self.locale)

    def span(self, value: float, unit: str) -> str:
        """A span of time in whole units.

        Args:
            value: how many.
            unit: "minute", "hour" or "day".
        """
        return format_unit(round(value), f"duration-{unit}", "long", self.number(value), locale=self.locale)

    def hours(self, hours: float) -> str:
        """A span of time, in minutes where it is short.

        Args:
            hours: of it [h].
        """
        return self.span(60.0 * hours, "minute") if hours < 1.5 else self.span(hours, "hour")

    def degrees(self, celsius: float) -> str:
        """A temperature as this language's land has it.

        Args:
            celsius: of it [°C].
        """
        if self.locale.territory == "US":
            return f"{self.figure(round(1.8 * celsius + 32.0, 1))} °F"
        return f"{self.figure(celsius)} °C"

    def metres(self, metres: float) -> str:
        """A distance as this language's land has it.

        Args:
            metres: of it [m].
        """
        if self.locale.territory == "US":
            return f"{self.number(metres / FOOT_M)} ft"
        return f"{self.figure(metres)} m"

    def day(self, at_s: float, zone: str, form: str = "medium") -> str:
        """A day.

        Args:
            at_s: an instant of it [s].
            zone: of the rig's clock.
            form: "medium" or "long".
        """
        return format_date(_local(at_s, zone), form, locale=self.locale)

    def clock(self, at_s: float, zone: str) -> str:
        """An hour.

        Args:
            at_s: the instant [s].
            zone: of the rig's clock.
        """
        return format_time(_local(at_s, zone), "short", locale=self.locale)

    def weekday(self, at_s: float, zone: str) -> str:
        """A weekday and the hour.

        Args:
            at_s: the instant [s].
            zone: of the rig's clock.
        """
        named = format_skeleton("E", _local(at_s, zone), locale=self.locale)
        return f"{named} {self.clock(at_s, zone)}"

    def moment(self, at_s: float, zone: str) -> str:
        """Weekday, day and hour.

        Args:
            at_s: the instant [s].
            zone: of the rig's clock.
        """
        named = format_skeleton("yMMMEd", _local(at_s, zone), locale=self.locale)
        return f"{named} {self.clock(at_s, zone)}"


def _local(at_s: float, zone: str) -> datetime:
    return datetime.fromtimestamp(at_s, ZoneInfo(zone))


@lru_cache(maxsize=len(LANGUAGES))
def tongue(key: str) -> Tongue:
    """A language of LANGUAGES; another key is English.

    Args:
        key: of the language.
    """
    known = key if key in LANGUAGES else "en"
    language = known.partition("_")[0]
    locale = Locale.parse("en_GB" if known == "en" else known)
    if language == "en":
        return Tongue(known, locale, gettext.NullTranslations(), True)
    with (FOLDER / f"{language}.po").open("rb") as file:
        catalogue = read_po(file, locale=locale)
    compiled = io.BytesIO()
    write_mo(compiled, catalogue)
    compiled.seek(0)
    return Tongue(known, locale, gettext.GNUTranslations(compiled), language in confirmed())


@lru_cache(maxsize=1)
def confirmed() -> dict[str, str]:
    """Languages whose cautions a native reader has confirmed: who and when, by language."""
    told = tomllib.loads(CONFIRMED.read_text(encoding="utf-8"))
    return {each["language"]: f"{each['who']}, {each['when']}" for each in told.get("confirmed", [])}


ENGLISH = tongue("en")
