"""Photos made ready: upright, small, with nothing hidden in them."""

import io
import unittest

from PIL import Image

from volnik.feeds.photos import MOST_BYTES, PhotoRefused, read_photo


def picture(size, kind="JPEG", **more):
    """A picture of one colour, dark on its left half."""
    image = Image.new("RGB", size, (200, 180, 160))
    image.paste((20, 20, 20), (0, 0, size[0] // 2, size[1]))
    out = io.BytesIO()
    image.save(out, kind, **more)
    return out.getvalue()


class Photos(unittest.TestCase):
    def test_large_ones_are_made_smaller_and_small_ones_left(self):
        for size, kept in (
            ((4000, 3000), (1600, 1200)),
            ((300, 200), (300, 200)),
            ((5000, 400), (1600, 128)),
        ):
            ready = read_photo(picture(size))
            self.assertEqual((ready.size, Image.open(io.BytesIO(ready.body)).size), (kept, kept))
            self.assertLessEqual(max(Image.open(io.BytesIO(ready.small)).size), 320)

    def test_it_is_turned_upright(self):
        exif = Image.Exif()
        exif[0x0112] = 3  # upside down: the dark half comes to the right
        ready = Image.open(io.BytesIO(read_photo(picture((400, 200), exif=exif)).body))
        self.assertGreater(ready.getpixel((50, 100))[0], 150)
        self.assertLess(ready.getpixel((350, 100))[0], 60)

    def test_other_kinds_are_read_and_kept_as_jpeg(self):
        for kind in ("PNG", "WEBP", "BMP", "GIF", "TIFF"):
            ready = read_photo(picture((60, 40), kind))
            self.assertEqual(Image.open(io.BytesIO(ready.body)).format, "JPEG", kind)

    def test_the_same_picture_has_the_same_digest(self):
        self.assertEqual(read_photo(picture((60, 40))).digest, read_photo(picture((60, 40))).digest)
        self.assertNotEqual(read_photo(picture((60, 40))).digest, read_photo(picture((60, 41))).digest)

    def test_what_is_no_photo_is_refused_with_what_to_do(self):
        rows = [
            (b"", "no photo"),
            (b"%PDF-1.7", "no photo"),
            (picture((600, 400))[:400], "damaged"),
            (b"\0" * (MOST_BYTES + 1), "at most 40 MB"),
            (picture((12_001, 10_000), "PNG"), "more pixels than are taken"),
        ]
        for given, message in rows:
            with self.subTest(message), self.assertRaises(PhotoRefused) as caught:
                read_photo(given)
            self.assertIn(message, caught.exception.problems["photo"])
