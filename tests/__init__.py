"""Tests of Volnik; `python -W error -m tests` runs them.

FastAPI builds a route's fields at its first request, under `warnings.catch_warnings`, to keep one warning of
Pydantic quiet. That is not safe when another thread leaves such a block at the same moment: the warning then
became an error, and the request failed, once in some thousands. So it is kept quiet here from the start,
and `tests.running` gives unittest's runner no filter of its own: that one would go before these.
"""

import warnings

from pydantic.warnings import UnsupportedFieldAttributeWarning

warnings.simplefilter("error")
warnings.filterwarnings("ignore", category=UnsupportedFieldAttributeWarning)
