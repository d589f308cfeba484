"""The languages a rig's owner can read in; the phrases of each: core/papers/tongue.py."""

LANGUAGES = {
    "en": "English",
    "en_US": "English, US units",
    "de": "Deutsch (German)",
    "fr": "Français (French)",
    "es": "Español (Spanish)",
    "nl": "Nederlands (Dutch)",
}
"""By key."""
