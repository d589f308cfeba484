"""Doors makes a bridge's file ready, and shows what each bridge last said."""

import re
import tomllib
import unittest
from html import unescape
from pathlib import Path

from tests.services.shops import rig
from tests.web.shops import visitor
from volnik.bridge.plan import plan_of
from volnik.services.live import tokens
from volnik.web.views.doors import sources_file


class Ready(unittest.TestCase):
    def test_the_file_shown_is_right_as_it_is_and_its_bridge_is_heard(self):
        with visitor() as client:
            rig_id = rig(client.running.context)
            form = {"kind": "bridge", "rig_id": str(rig_id), "name": "van bridge", "interval_s": "2"}
            page = client.change("/doors/keys", form, page="/doors").text
            text = unescape(re.search(r'<pre class="secret-file"[^>]*>(.*?)</pre>', page, re.DOTALL)[1])
            self.assertIn("[[rig.source]]", text)
            made = tokens.make(
                client.running.context, kind="bridge", rig_id=rig_id, name="other", interval_s=2.0
            )
            plan = plan_of(tomllib.loads(sources_file(made, "http://127.0.0.1:8370")), Path())
            self.assertEqual(
                (plan.rig[0].id, plan.rig[0].interval_s, len(plan.rig[0].source)), (rig_id, 2.0, 3)
            )
            headers = {"authorization": f"Bearer {made.secret}", "x-bridge-says": "12 brought, 0 waiting <b>"}
            client.get(f"/api/rigs/{rig_id}/readings", headers=headers)
            shown = client.get("/doors").text
            self.assertRegex(shown, r"\d seconds? ago: 12 brought, 0 waiting &lt;b&gt;")
            feed = {"kind": "calendar", "rig_id": str(rig_id), "name": "mine", "interval_s": "1"}
            self.assertNotIn("secret-file", client.change("/doors/keys", feed, page="/doors").text)
