"""Photos put to entries of the proof record: what the display, the meter or the joint looked like."""

from __future__ import annotations

from sqlalchemy.orm import Session

from volnik.core.rig.photo import ReadyPhoto
from volnik.core.rig.rig import NotFound
from volnik.services.context import AppContext
from volnik.store import drawings, records, watching

KIND = "proof_photo"


def keep_proof_photo(context: AppContext, rig_id: int, proof_id: int, photo: ReadyPhoto, *, who: str) -> int:
    """Put a photo to an entry; returns the photo's number.

    Raises:
        NotFound: when the rig has no such entry.
    """
    with context.change(rig_id) as work:
        proof = next((proof for proof in records.proofs(work.session, rig_id) if proof.id == proof_id), None)
        if proof is None:
            raise NotFound("entry", proof_id)
        now_s = context.now()
        caption = str(proof.body.get("sentence", ""))[:100]
        number = drawings.add_photo(work.session, rig_id, photo, caption=caption, added_s=now_s)
        watching.add_note(
            work.session,
            rig_id,
            KIND,
            time_s=proof.time_s,
            saved_s=now_s,
            who=who,
            body={"proof": proof_id, "photo": number},
        )
        work.record("proof", f"photo to entry {proof_id}", adds=True)
    return number


def photos_by_proof(session: Session, rig_id: int) -> dict[int, list[int]]:
    """The photos of each entry that has any, by their numbers; what was taken out since is left out."""
    standing = {photo.id for photo in drawings.photos(session, rig_id)}
    found: dict[int, list[int]] = {}
    for note in watching.notes(session, rig_id, KIND):
        if note.body["photo"] in standing:
            found.setdefault(note.body["proof"], []).append(note.body["photo"])
    return found
