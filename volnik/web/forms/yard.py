"""The Yard's forms: a rig named, taken in from its document, put aside; this browser's own preferences."""

from __future__ import annotations

from typing import Annotated

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


class DocumentForm(Form):
    """A rig's document."""

    document: File


class BackForm(Form):
    """Something put aside or withdrawn: brought back with "1"; `here` is the page to return to."""

    back: Line
    here: Line


class PreferenceForm(Form):
    """Theme or units; whichever button was pressed."""

    here: Line
    theme: Line
    units: Line


class WhoForm(Form):
    """Who holds this browser: a known name, or a new one."""

    new_name: Line
    who: Line
    here: Line


SentRig = Annotated[Posted[RigForm], Depends(posted(RigForm))]
SentDocument = Annotated[Posted[DocumentForm], Depends(posted(DocumentForm))]
SentBack = Annotated[Posted[BackForm], Depends(posted(BackForm))]
SentPreference = Annotated[Posted[PreferenceForm], Depends(posted(PreferenceForm))]
SentWho = Annotated[Posted[WhoForm], Depends(posted(WhoForm))]
