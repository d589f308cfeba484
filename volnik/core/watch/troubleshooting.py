"""Finding a fault by question and answer where there is no log.

The cheapest look first, each answer telling what it excludes.

Order and sentences: docs/domain/checkup.md, from the fault table. The commonest causes come first: bypass,
parameters, a misunderstanding, a defect.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Question:
    """One question; what a yes comes to, with what to do.

    A no leads on to the next. `excludes` is what the no rules out.
    """

    ask: str
    yes: str
    do: str
    excludes: str = ""


@dataclass(frozen=True, slots=True)
class Symptom:
    """What the owner says: key, words, questions in order, what is left when all are answered no."""

    key: str
    words: str
    questions: tuple[Question, ...]
    left: str


LIVE = (
    "A fuse is drawn only with nothing running from it; rings and watches off, one post at a time, "
    "the other covered."
)
SYMPTOMS: tuple[Symptom, ...] = (
    Symptom(
        "dead",
        "No display at all",
        (
            Question(
                "Change the fuse of the sense lead, even if it looks whole. Does it come on?",
                "The sense fuse had gone.",
                "Find what blew it: a chafed lead, a wrong socket. Carry a spare. " + LIVE,
                "the fuse",
            ),
            Question(
                "Are there the battery's volts at the sense socket, measured against the battery side of "
                "the shunt?",
                "The lead is sound: the socket or plug is not.",
                "Seat the plug until it clicks; try the other socket; look for bent pins.",
                "the lead and its joints",
            ),
            Question(
                "Are there volts at the post where the lead begins, but none at its end?",
                "The lead is open between them.",
                "Look at the fuse holder, the crimp, the nut on the post.",
                "the battery's own post",
            ),
            Question(
                "Is the lead in the socket meant for battery volts (often one of two alike)?",
                "Then measure again with the nut tightened; a loose stud is the commonest fault.",
                "Torque the stud; if it stays dark with volts at the socket, the monitor is faulty.",
                "a wrong socket",
            ),
        ),
        "With volts at the right socket and no sign of life the monitor itself is left.",
    ),
    Symptom(
        "pairing",
        "The phone sees it and does not join",
        (
            Question(
                "Does it join after the app was closed, the radio switched off and on, and the app "
                "opened again?",
                "The phone held an old link.",
                "Nothing more.",
                "the phone's own memory",
            ),
            Question(
                "Does another kind of phone join?",
                "An old firmware refuses one family of phones.",
                "Update the firmware with the phone that joins; then try the first again.",
                "the monitor's radio",
            ),
            Question(
                "Was the code changed, and is the changed one typed?",
                "The factory code no longer holds.",
                "Type the changed one, or reset it as the maker says. Never write it into a record.",
                "the code",
            ),
            Question(
                "Does it join from within two metres, with the bay open?",
                "Distance or metal: the reading does not reach.",
                "Note the three distances at Prove; a bridge nearer to where it is read.",
                "the reach",
            ),
        ),
        "Signal at hand, code right, another phone refused too: update by cable if there is one, "
        "else the maker.",
    ),
    Symptom(
        "high_low",
        "Volts full, percent low",
        (
            Question(
                "With a charger on, does the shunt show less than the charger's own display, by more "
                "than what is running?",
                "That charger bypasses the shunt.",
                "Follow its negative: it lands on the battery post, on the chassis or at another "
                "battery. Move it to the rig side.",
                "chargers tried so",
            ),
            Question(
                "Has the count never stood at 100 % for weeks, though volts reach absorption?",
                "It is never reset: charged voltage out of reach, or tail too small.",
                "Read the volts at the posts at the end of a charge; see Numbers, reset map.",
                "the reset",
            ),
            Question(
                "Is the efficiency set under 0.95 on lithium, or the exponent over 1.1?",
                "The numbers make the count creep down.",
                "Correct them at Numbers, try on the log.",
                "efficiency and exponent",
            ),
        ),
        "Charge until full and watch the reset: what it corrects is the error there was.",
    ),
    Symptom(
        "low_high",
        "Volts low, percent high or 100 %",
        (
            Question(
                "Switch each load on in turn: does one move the volts and not the amps?",
                "That load bypasses the shunt.",
                "Follow its negative to the battery post, and move it to the rig side.",
                "loads tried so",
            ),
            Question(
                "Was the supply cut lately (fuse, nut, isolator), and does the monitor come back "
                "claiming 100 %?",
                "It claims full after each loss of supply.",
                "Set its state at power-up to blank or last; charge until full once.",
                "a loss of supply",
            ),
            Question(
                "Does it turn to 100 % with amps still going in well above the tail?",
                "It is reset too early.",
                "More volts, a smaller tail, a longer hold: see the reset map.",
                "the reset",
            ),
            Question(
                "Is the capacity set above what the labels add to?",
                "The capacity is too high: percent falls too slowly.",
                "Series does not add Ah. Correct it at Numbers.",
                "the capacity as set",
            ),
        ),
        "The battery may hold less than its label: measure it from full to a known low rest.",
    ),
    Symptom(
        "backwards",
        "Percent climbs in use and falls on charge",
        (
            Question(
                "Does a load that is switched on show plus?",
                "The shunt is turned round.",
                "Power down first, as at Wire-up; then the battery's negative goes to the battery "
                "side's stud.",
                "a turned shunt",
            ),
        ),
        "Then it is one charger's display that is read, not the shunt's.",
    ),
    Symptom(
        "hours",
        "Hours left jump, or show no number",
        (
            Question(
                "Is more going in than out just now?",
                "There are no hours left while charging: that is right.",
                "Read the hours at night, with nothing charging.",
                "a fault",
            ),
            Question(
                "Does a fridge, pump or heater switch by itself?",
                "The hours follow what runs this minute.",
                "A longer look back for the hours to go; or the forecast, which knows the rig's own days.",
                "the count",
            ),
            Question(
                "Are hours times amps more than the battery holds?",
                "The capacity set is not that of the battery, or the hours are to empty, not to the reserve.",
                "Compare with Volnik's own hours, which name their reserve.",
                "plain arithmetic",
            ),
        ),
        "Let it settle for one window and read again.",
    ),
    Symptom(
        "counters",
        "Several counters disagree",
        (
            Question(
                "Were they ever all reset together, straight after one full charge?",
                "Then weigh them by their Ah and look at the doubt of each.",
                "Type them into Second opinions.",
                "a common start",
            ),
            Question(
                "Do the batteries' own counters call full at volts the charger never reaches?",
                "They never reach 100 %.",
                "Lower the counter's full volts if it has its own setting; never the protective "
                "limit, never raise the charger to it.",
                "their own full volts",
            ),
        ),
        "Fill the battery, reset all, compare again: the shunt on the whole battery is the one to go by.",
    ),
    Symptom(
        "idle",
        "Amps with everything off",
        (
            Question(
                "Main fuse or isolator open, and every fuse ahead of it out: do amps remain?",
                "That is the zero of the shunt.",
                "Calibrate it there, and only there: elsewhere a real drain is calibrated away.",
                "a real drain",
            ),
            Question(
                "Fit the fuses one by one: does one bring most of it?",
                "That feed is the idle draw.",
                "Name it in the idle ledger; a gas detector, radio and controllers make some tenths.",
                "the other feeds",
            ),
        ),
        "A few tenths are usual; times 24 they are Ah a day.",
    ),
)


@dataclass(frozen=True, slots=True)
class Asking:
    """Where the questions stand: symptom, answers so far (question, answer, told), the next question or None,
    what it came to or "".
    """

    symptom: Symptom
    answered: tuple[tuple[Question, bool], ...]
    next: Question | None
    outcome: str
    do: str


def ask(key: str, answers: str) -> Asking:
    """Follow the answers, "y" and "n" in order.

    Args:
        key: of the symptom.

    Raises:
        KeyError: for a symptom there is none of.
        ValueError: for answers that are none, or too many.
    """
    symptom = _symptom(key)
    if set(answers) - {"y", "n"} or len(answers) > len(symptom.questions) or "y" in answers[:-1]:
        raise ValueError(
            f"answers are n, at the end y or n, at most {len(symptom.questions)}, got {answers[:20]!r}"
        )
    answered = tuple((symptom.questions[at], answer == "y") for at, answer in enumerate(answers))
    if answered and answered[-1][1]:
        return Asking(symptom, answered, None, answered[-1][0].yes, answered[-1][0].do)
    if len(answers) == len(symptom.questions):
        return Asking(symptom, answered, None, symptom.left, "")
    return Asking(symptom, answered, symptom.questions[len(answers)], "", "")


def _symptom(key: str) -> Symptom:
    for symptom in SYMPTOMS:
        if symptom.key == key:
            return symptom
    raise KeyError(key)
