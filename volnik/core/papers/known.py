"""Words of Volnik's own tables that stand on papers in the owner's language, looked up as they are."""

from __future__ import annotations

from volnik.core.findings import LEVELS
from volnik.core.papers.tongue import QUOTED
from volnik.core.prove.checks import STATE_TITLES
from volnik.core.rig.bank import KIND_WORDS
from volnik.core.visits.acts import ACTS


def known_words() -> tuple[str, ...]:
    """The words, in order, each once."""
    return tuple(
        dict.fromkeys(
            (QUOTED, *LEVELS, *KIND_WORDS.values(), *STATE_TITLES.values(), *(act.words for act in ACTS))
        )
    )
