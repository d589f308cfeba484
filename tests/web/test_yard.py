"""What a rig is and where, said and said anew."""

import unittest

from tests.web.shops import visitor

TERN = {
    "name": "Tern",
    "silhouette": "van",
    "what": "",
    "zone": "UTC",
    "latitude": "52,5",
    "climate": "mild coast",
}


class Naming(unittest.TestCase):
    def test_a_rig_is_renamed_and_a_bad_latitude_told_beside_its_field(self):
        with visitor() as client:
            client.change("/rigs", TERN)
            page = client.get("/?edit=1").text
            self.assertIn('value="52.5"', page)
            for wrong, message in (("120", "from -90 to 90 degrees, got 120"), ("north", "is not a number")):
                answer = client.change("/rigs/1/name", {**TERN, "name": "Sandwich Tern", "latitude": wrong})
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.text, f'id="problem-latitude"[^\n]*{message}')
                self.assertIn('value="Sandwich Tern"', answer.text)
            self.assertEqual(
                client.change("/rigs/1/name", {**TERN, "name": "Sandwich Tern"}).status_code, 303
            )
            self.assertIn("Sandwich Tern", client.get("/").text)
            self.assertEqual(client.get("/?edit=9").status_code, 404)
