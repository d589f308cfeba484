"""Faults, a page each, reached from the check-up that names one."""

import re
import unittest
from html import unescape

from tests.web.shops import visitor
from volnik.core.practice.faults import faults

DOME_TRUCK = 6


class Pages(unittest.TestCase):
    def test_every_page_stands_and_the_check_up_leads_to_its_own(self):
        with visitor(demo=True) as client:
            contents = client.get("/faults").text
            for key, fault in faults().items():
                self.assertIn(f'href="/faults/{key}"', contents)
                page = client.get(f"/faults/{key}")
                self.assertEqual(page.status_code, 200)
                self.assertIn(fault.measure[0][:60], unescape(page.text))
            self.assertEqual(client.get("/faults/gremlins").status_code, 404)
            answer = client.get(f"/rigs/{DOME_TRUCK}/watch/checkup")
            if "/jobs/" in str(answer.url):
                jobs = client.running.jobs
                jobs.settle(jobs.job(str(answer.url).split("/jobs/")[1].split("?")[0]), 60)
                answer = client.get(f"/rigs/{DOME_TRUCK}/watch/checkup")
            self.assertEqual(re.findall(r'href="/faults/(\w+)"', answer.text)[0], "charger_bypass")
