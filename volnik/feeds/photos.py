"""Photos as they come from a phone: turned upright, made smaller, and freed of all that is hidden in them."""

from __future__ import annotations

import hashlib
import io
import warnings

from PIL import Image, ImageOps, UnidentifiedImageError

from volnik.core.errors import InvalidInput
from volnik.core.rig.photo import ReadyPhoto

MOST_BYTES = 40 << 20  # a phone's largest; what is kept is far smaller
LONG_SIDE, SMALL_SIDE = 1600, 320  # a label is still read at the one; a list shows the other

# Set once, for all threads: `warnings.catch_warnings` round a single photo would reach into other requests.
warnings.simplefilter("error", Image.DecompressionBombWarning)


class PhotoRefused(InvalidInput):
    """A file that cannot be kept as a photo."""


def read_photo(given: bytes) -> ReadyPhoto:
    """A photo made ready; location, time and device written into the file are left behind.

    Raises:
        PhotoRefused: for what is too large, no picture, or a damaged one.
    """
    if len(given) > MOST_BYTES:
        raise PhotoRefused(
            {
                "photo": (
                    f"That photo has {len(given) / (1 << 20):.0f} MB; at most {MOST_BYTES >> 20} MB are "
                    "taken. Send a smaller copy."
                )
            }
        )
    try:
        opened = Image.open(io.BytesIO(given), formats=("JPEG", "PNG", "WEBP", "TIFF", "BMP", "GIF"))
        opened.draft("RGB", (LONG_SIDE * 2, LONG_SIDE * 2))
        upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (Image.DecompressionBombWarning, Image.DecompressionBombError):
        raise PhotoRefused(
            {"photo": "That photo has more pixels than are taken. Send a smaller copy."}
        ) from None
    except UnidentifiedImageError:
        raise PhotoRefused(
            {"photo": "That file is no photo Volnik can read; send a JPEG, PNG or WebP."}
        ) from None
    except (OSError, ValueError, SyntaxError, EOFError, Warning):
        raise PhotoRefused({"photo": "That photo is damaged or cut off; take or send it again."}) from None
    upright.thumbnail((LONG_SIDE, LONG_SIDE))
    small = upright.copy()
    small.thumbnail((SMALL_SIDE, SMALL_SIDE))
    body = _jpeg(upright, 82)
    return ReadyPhoto(upright.size, hashlib.sha256(body).hexdigest(), body, _jpeg(small, 78))


def _jpeg(image: Image.Image, quality: int) -> bytes:
    plain = Image.new("RGB", image.size)
    plain.paste(image)  # a new picture carries none of the old one's metadata
    out = io.BytesIO()
    plain.save(out, "JPEG", quality=quality, optimize=True)
    return out.getvalue()
