"""The open rig document: one JSON file with all that is decided about a rig. Records of work stay out of it.

Section and the stage that writes it: `rig` Yard; `bank`, `devices`, `monitor`, `wiring.found` Survey;
`wiring.planned` Path; `numbers`, `use` Numbers. Any may be missing. Every block, device, stud and cable keeps
its id in found and planned.
"""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from volnik.core.errors import InvalidInput
from volnik.core.instants import known_zone
from volnik.core.numbers.schema import settings_schema
from volnik.core.rig.bank import Bank, BankRefused
from volnik.core.rig.devices import Device
from volnik.core.rig.languages import LANGUAGES
from volnik.core.rig.monitor import Monitor
from volnik.core.rig.rig import SILHOUETTES
from volnik.core.rig.studs import studs_of
from volnik.core.rig.use import Use
from volnik.core.rig.wiring import Wiring
from volnik.core.settings import SettingsError, numbers_from_dict
from volnik.core.shelf.chemistries import CHEMISTRIES
from volnik.core.shelf.presets import PRESETS
from volnik.core.values import Plain, problems_of, read_plain

VERSION = 2
MOST_BYTES = 8 << 20  # photos stay out of it; the demo's rigs have 8 to 19 kB


class DocumentRefused(InvalidInput):
    """A document that cannot be read. `problems` maps each place in it to a sentence."""


class RigSection(Plain):
    """What the rig is and where: name, silhouette, what kind, time zone, latitude [degrees north], climate in
    words, its owner's language.
    """

    name: Annotated[str, Field(min_length=1, max_length=80)]
    silhouette: str = "van"
    what: Annotated[str, Field(max_length=200)] = ""
    zone: str = "UTC"
    latitude: Annotated[float, Field(ge=-90, le=90)] | None = None
    climate: Annotated[str, Field(max_length=80)] = ""
    language: str = "en"


class WiringSection(Plain):
    """The two drawings of one rig."""

    found: Wiring | None = None
    planned: Wiring | None = None


class RigDocument(Plain):
    """A rig document of this version. `bank` and `numbers` are checked by their own rules."""

    volnik_rig: Literal[2] = 2
    rig: RigSection | None = None
    bank: dict[str, Any] | None = None
    devices: Annotated[tuple[Device, ...], Field(max_length=200)] | None = None
    monitor: Monitor | None = None
    wiring: WiringSection = WiringSection()
    numbers: dict[str, Any] | None = None
    use: Use | None = None

    def the_bank(self) -> Bank | None:
        """The bank, or None."""
        return None if self.bank is None else _BANK.validate_python(self.bank)


def read_document(text: str | bytes) -> RigDocument:
    """A rig document from its JSON; an older version is brought to this one.

    Args:
        text: JSON, UTF-8.

    Raises:
        DocumentRefused: with a sentence for each place at fault.
    """
    body = _json_of(text)
    for step in range(_version_of(body), VERSION):
        body = UPGRADES[step](body)
    try:
        document = read_plain(RigDocument, body)
    except InvalidInput as wrong:
        raise DocumentRefused(wrong.problems) from None
    return checked(document)


def _json_of(text: str | bytes) -> Any:
    if len(text) > MOST_BYTES:
        raise DocumentRefused({"document": f"A rig document has at most {MOST_BYTES >> 20} MiB."})
    try:
        return json.loads(text)
    except (ValueError, RecursionError) as wrong:
        at = f" in line {wrong.lineno}" if isinstance(wrong, json.JSONDecodeError) else ""
        raise DocumentRefused({"document": f"This is not JSON{at}."}) from None


def _version_of(body: Any) -> int:
    if not isinstance(body, dict) or "volnik_rig" not in body:
        raise DocumentRefused(
            {"volnik_rig": "This is no rig document: the key volnik_rig with its version is missing."}
        )
    version = body["volnik_rig"]
    if not isinstance(version, int) or isinstance(version, bool) or version < 0:
        raise DocumentRefused({"volnik_rig": f"The version is a whole number, got {version!r}."})
    if version > VERSION:
        raise DocumentRefused(
            {
                "volnik_rig": f"Version {version} was written by a newer Volnik; this one reads up to "
                f"{VERSION}. Update Volnik."
            }
        )
    return version


def _from_0(body: dict[str, Any]) -> dict[str, Any]:
    """Version 0, the draft before the two drawings: one `wiring`, which is what was found."""
    wiring = body.get("wiring")
    return {**body, "volnik_rig": 1, "wiring": {"found": wiring} if wiring is not None else {}}


def _from_1(body: dict[str, Any]) -> dict[str, Any]:
    """Version 1 knew one fuse a cable, and nothing of insulation, ratings and limits: nothing is stated."""
    return {**body, "volnik_rig": 2}


UPGRADES = {0: _from_0, 1: _from_1}
_BANK: TypeAdapter[Bank] = TypeAdapter(Bank)


def checked(document: RigDocument) -> RigDocument:
    """A document whose bank, numbers and names also hold.

    Raises:
        DocumentRefused: with a sentence for each place at fault.
    """
    bank, problems = _bank_of(document)
    problems |= _numbers_problems(document.numbers)
    problems |= _rig_problems(document.rig)
    ids = [device.id for device in document.devices or ()]
    if twice := [ident for ident in ids if ids.count(ident) > 1]:
        problems["devices"] = f"The id {twice[0]} is there twice."
    if bank is not None and not problems:
        problems |= _loose_ends(document, bank)
    if problems:
        raise DocumentRefused(problems)
    return document


def _bank_of(document: RigDocument) -> tuple[Bank | None, dict[str, str]]:
    if document.bank is None:
        return None, {}
    try:
        bank = _BANK.validate_python(document.bank)
    except BankRefused as wrong:
        return None, {f"bank.{key}": message for key, message in wrong.problems.items()}
    except ValidationError as wrong:
        return None, problems_of(wrong, "bank")
    if bank.chemistry in CHEMISTRIES:
        return bank, {}
    known = ", ".join(CHEMISTRIES)
    return bank, {"bank.chemistry": f"“{bank.chemistry}” is no chemistry; one of {known}."}


def _numbers_problems(numbers: dict[str, Any] | None) -> dict[str, str]:
    if numbers is None:
        return {}
    beside = ("power_up", "relay", "alarms")  # kept with the numbers, no settings of the count
    try:
        numbers_from_dict({key: value for key, value in numbers.items() if key not in beside})
    except SettingsError as wrong:
        return {f"numbers.{key}": message for key, message in wrong.problems.items()}
    return {}


def _rig_problems(rig: RigSection | None) -> dict[str, str]:
    problems = {}
    if rig is not None and rig.silhouette not in SILHOUETTES:
        problems["rig.silhouette"] = f"“{rig.silhouette}” is none of {', '.join(SILHOUETTES)}."
    if rig is not None and rig.language not in LANGUAGES:
        problems["rig.language"] = f"“{rig.language[:40]}” is none of {', '.join(LANGUAGES)}."
    if rig is not None and not known_zone(rig.zone):
        problems["rig.zone"] = f"“{rig.zone[:40]}” is not a time zone this machine knows."
    return problems


def _loose_ends(document: RigDocument, bank: Bank) -> dict[str, str]:
    problems = {}
    for name in ("found", "planned"):
        wiring: Wiring | None = getattr(document.wiring, name)
        if wiring is None:
            continue
        studs = studs_of(bank, document.devices or (), wiring, PRESETS)
        for at, cable in enumerate(wiring.cables):
            for end in (cable.a, cable.b):
                if end not in studs:
                    message = f"Cable {cable.id} ends on the stud {end}, which is not there."
                    problems[f"wiring.{name}.cables.{at}"] = message
    return problems


def written(document: RigDocument) -> str:
    """The document as JSON, the same text for the same document; what is unknown or usual stays out."""
    body = {
        "volnik_rig": VERSION,
        **document.model_dump(mode="json", exclude_defaults=True, exclude={"volnik_rig"}),
    }
    return json.dumps(body, indent=2, ensure_ascii=False) + "\n"


def rig_schema() -> dict[str, Any]:
    """The JSON Schema of the document (2020-12), with the bank's and the numbers' own."""
    schema = RigDocument.model_json_schema()
    bank = _BANK.json_schema(ref_template="#/$defs/{model}")
    schema["$defs"] |= bank.pop("$defs", {})
    schema["$defs"]["Bank"] = bank
    numbers = settings_schema()
    numbers.pop("$schema")
    numbers["properties"] |= {
        "power_up": {"type": "string"},
        "relay": {"type": ["object", "null"]},
        "alarms": {"type": ["array", "null"]},
    }
    schema["$defs"]["Numbers"] = numbers
    schema["properties"]["bank"] = {"anyOf": [{"$ref": "#/$defs/Bank"}, {"type": "null"}], "default": None}
    schema["properties"]["numbers"] = {
        "anyOf": [{"$ref": "#/$defs/Numbers"}, {"type": "null"}],
        "default": None,
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": "urn:volnik:rig:2",
        **schema,
        "title": "Volnik rig document",
        "required": ["volnik_rig"],
    }
