"""What happened in a stretch: page, paper, text and CSV tell the same; what cannot be told is said why."""

import io
import math
import unittest

from pypdf import PdfReader

from tests.web.shops import visitor
from volnik.core.papers.event import EventFacts, paragraph

FACTS = EventFacts(
    "Curlew",
    "Easter trip",
    "UTC",
    1_711_735_200.0,  # 29 March 2024, 18:00
    1_711_908_000.0,
    48.0,
    48.0,
    120.4,
    40.2,
    1.5,
    0.5,
    1.0,
    0.6,
    0.35,
    1_711_868_400.0,
    20.0,
    55.0,
    30.0,
    12.1,
    14.2,
    (("Fridge", 60.0), ("Heater", 40.0)),
    (("Mains charger", 30.0),),
    ("Solar", "Alternator"),
    True,
    "",
)


class Paragraph(unittest.TestCase):
    def changed(self, **more):
        return paragraph(EventFacts(**{name: getattr(FACTS, name) for name in FACTS.__slots__} | more))

    def test_it_can_be_forwarded(self):
        self.assertEqual(
            paragraph(FACTS),
            "Easter trip: From Fri, 29 Mar 2024 18:00 to Sun, 31 Mar 2024 18:00 (2.0 days) Curlew gave 120 "
            "Ah (1.5 kWh) and took in 40 Ah. It was lowest with 35 % at Sun, 31 Mar 2024 07:00, 15 points "
            "above the reserve of 20 %. Of that Fridge 60 Ah, Heater 40 Ah; the other 20 Ah are not told "
            "apart. It was fed by Mains charger 30 Ah; the rest came from Solar, Alternator, not told apart.",
        )

    def test_near_the_reserve_unread_and_unbelieved(self):
        self.assertIn("2 points under the reserve", self.changed(low=0.18))
        self.assertIn("at the reserve of 20 %", self.changed(low=0.2))
        self.assertIn("Only 30 h of it were read", self.changed(read_h=30.0))
        lies = self.changed(believed=False, reason="A charger bypasses the shunt.")
        self.assertIn("cannot be believed: A charger bypasses", lies)
        self.assertNotIn("lowest", lies)
        self.assertNotIn("lowest", self.changed(low=math.nan))


class Pages(unittest.TestCase):
    def test_page_paper_text_and_csv_tell_the_same(self):
        with visitor(demo=True) as client:
            base = "/rigs/1/watch/event"
            asked = "start=2026-11-15T12:00&end=2026-11-18T12:00&what=Three+days"
            page = client.get(f"{base}?{asked}").text
            text = client.get(f"{base}/report.txt?{asked}").text.strip()
            self.assertIn(
                "Three days: From Sun, 15 Nov 2026 12:00 to Wed, 18 Nov 2026 12:00 (3.0 days)", text
            )
            self.assertIn(text.split(". ")[0], page)
            self.assertIn("What used it", page)
            rows = client.get(f"{base}/report.csv?{asked}").text
            self.assertIn("Out, Ah", rows)
            pdf = PdfReader(io.BytesIO(client.get(f"{base}/report.pdf?{asked}").content))
            self.assertEqual(len(pdf.pages), 1)
            self.assertIn("Bookbus: Three days", pdf.pages[0].extract_text())
            self.assertEqual(client.get(base).status_code, 200)  # the last day
            for wrong, words in (
                ("start=2026-11-18T12:00&end=2026-11-15T12:00", "It must end after it begins."),
                ("start=yesterday&end=2026-11-15T12:00", "Choose the day and the time."),
                ("start=2026-03-01T12:00&end=2026-03-02T12:00", "Nothing was read in that stretch."),
            ):
                answer = client.get(f"{base}?{wrong}")
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, answer.text)
                self.assertEqual(client.get(f"{base}/report.pdf?{wrong}").status_code, 422)
            self.assertNotIn("event-drawing", client.get("/rigs/6/watch/event").text)
            self.assertIn("There are no readings", client.get("/rigs/2/watch/event").text)
