"""The Yard's forms: a rig named, taken in from its document, put aside; this browser's own preferences."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from fastapi import Depends

from volnik.web.forms.posted import File, Form, Line, Number, Posted, posted


class RigForm(Form):
    """What a rig is and where; what it may be is judged where it is kept."""

    name: Line
    silhouette: Line
    what: Line
    zone: Line
    latitude: Number
    climate: Line
    language: Line


class DocumentForm(Form):
    """A rig's document."""

    document: File


class ArchiveForm(Form):
    """A rig's archive."""

    archive: File


class ChoicesForm(Form):
    """Whose to keep where an archive and what is here differ, by the key of what differs."""

    choices: dict[str, Literal["mine", "theirs"]]

    @classmethod
    def shape(cls, sent: Mapping[str, Any]) -> dict[str, Any]:
        """A choice is named "keep-" and its key."""
        named = {name: value for name, value in sent.items() if name.startswith("keep-")}
        return {"choices": {name.removeprefix("keep-"): value for name, value in named.items()}}


class BackForm(Form):
    """Something put aside or withdrawn: brought back with "1"; `here` is the page to return to."""

    back: Line
    here: Line


class PreferenceForm(Form):
    """Theme or units; whichever button was pressed."""

    here: Line
    theme: Line
    units: Line


class TourForm(Form):
    """A step of the tour, 0 to leave it; `here` is the page to stay on."""

    step: Line
    here: Line


class WhoForm(Form):
    """Who holds this browser: a known name, or a new one."""

    new_name: Line
    who: Line
    here: Line


SentRig = Annotated[Posted[RigForm], Depends(posted(RigForm))]
SentDocument = Annotated[Posted[DocumentForm], Depends(posted(DocumentForm))]
SentArchive = Annotated[Posted[ArchiveForm], Depends(posted(ArchiveForm))]
SentChoices = Annotated[Posted[ChoicesForm], Depends(posted(ChoicesForm))]
SentBack = Annotated[Posted[BackForm], Depends(posted(BackForm))]
SentPreference = Annotated[Posted[PreferenceForm], Depends(posted(PreferenceForm))]
SentTour = Annotated[Posted[TourForm], Depends(posted(TourForm))]
SentWho = Annotated[Posted[WhoForm], Depends(posted(WhoForm))]
