"""What each page of the demo yard says first: its number and its heading, which hang on all below."""

import html
import re
import unittest

from tests.web.shops import visitor

# address, the page's number (or "" where it has none), its heading
HEADINGS = (
    ("/", "3 of 7", "rigs want something; Dome Truck first."),
    ("/doors", "", "Volnik answers on this machine alone."),
    ("/pair", "", "Pair this phone with the shop's Volnik."),
    ("/shelf", "", "Starting figures for five chemistries, at 25 °C."),
    ("/practice", "", "Find the fault before it finds you."),
    ("/practice/2/7", "0 min", "“After a week away it is at 60 %, and all was off.”"),
    ("/practice/people", "0", "Nobody has practised yet."),
    ("/practice/logs/7", "1 of 20", "What is wrong here, and since when?"),
    ("/practice/numbers/3", "", "What comes of these values?"),
    ("/faults", "28", "faults, a page each: how one looks, what to measure, what it is confused with."),
    ("/faults/bond", "", "A bond on the battery side"),
    ("/shelf/dialects", "4", "kinds of monitors the sheets are written for."),
    ("/shelf/storage", "2.8", "bytes a reading;"),
    # by hand: 2 x 160 Ah of 12.8 V are 320 Ah, 4.10 kWh; 2 strings of 4 x 6 V of 225 Ah are 450 Ah at 24 V
    ("/rigs/1/survey", "320 Ah", "12.8 V lithium iron phosphate, 2 batteries, 4.10 kWh. No problems found"),
    ("/rigs/2/survey", "450 Ah", "24.0 V flooded lead-acid, 8 batteries, 10.80 kWh. No problems found."),
    ("/rigs/3/survey", "330 Ah", "12.0 V AGM lead-acid, 3 batteries, 3.96 kWh. No problems found."),
    ("/rigs/4/survey", "216 Ah", "12.0 V gel lead-acid, 2 batteries, 2.59 kWh. 3 things to know."),
    ("/rigs/5/survey", "100 Ah", "51.2 V lithium iron phosphate, 1 battery, 5.12 kWh. No problems found"),
    ("/rigs/6/survey", "200 Ah", "25.6 V lithium iron phosphate, 2 batteries, 5.12 kWh. 1 thing to know."),
    ("/rigs/1/survey/devices", "9 devices", "found; 1 negative on the battery post, no shunt yet."),
    ("/rigs/2/survey/devices", "9 devices", "found; 5 negatives on the battery posts, no shunt yet."),
    ("/rigs/4/survey/devices", "13 devices", "found; 6 negatives on the battery posts, no shunt yet."),
    (
        "/rigs/1/survey/gauge",
        "3 of 3",
        "No old panel is described; 3 lamps of a common one light below the reserve.",
    ),
    ("/rigs/3/survey/gauge", "2 of 3", "No old panel is described; 2 lamps of a common one"),
    ("/rigs/4/survey/gauge", "2 of 4", "lamps light below the reserve of 50 %: false comfort."),
    ("/rigs/1/path", "8 of 8", "devices counted: every amp crosses the shunt. No problems found."),
    ("/rigs/2/path", "9 of 9", "devices counted: every amp crosses the shunt. No problems found."),
    ("/rigs/4/path", "0 of 10", "devices counted by this plan. 6 things to stop for"),
    ("/rigs/5/path", "6 of 7", "devices counted by this plan. 1 thing to stop for."),
    ("/rigs/1/path/parts", "10 parts", "for 6 pieces of work on Bookbus"),
    ("/rigs/4/path/parts", "0 parts", "The plan is what was found: nothing to take along."),
    # by hand: 4 % of 320 Ah are 12.8 A; 4 % of 450 Ah are 18 A; of 330 Ah 13.2 A; of 200 Ah 8 A
    ("/rigs/1/numbers", "13.9 V", "Full at 13.9 V and 12.8 A held 3 min; no problems found"),
    ("/rigs/2/numbers", "28.6 V", "Full at 28.6 V and 18.0 A held 5 min; no problems found"),
    ("/rigs/3/numbers", "14.2 V", "Full at 14.2 V and 13.2 A held 5 min; no problems found"),
    ("/rigs/4/numbers", "13.8 V", "Not saved yet: these are the defaults for gel lead-acid, 6 cells."),
    ("/rigs/5/numbers", "55.6 V", "Not saved yet: these are the defaults for lithium iron phosphate, 16"),
    ("/rigs/6/numbers", "27.8 V", "Full at 27.8 V and 8.0 A held 3 min; no problems found"),
    ("/rigs/1/numbers/ladder", "13.9 V", "Every rung is in its order."),
    ("/rigs/5/numbers/ladder", "55.6 V", "Every rung is in its order."),
    ("/rigs/1/numbers/alarms", "10", "Each of the 10 can be reached, clears again and contradicts nothing."),
    ("/rigs/4/numbers/alarms", "7", "Each of the 7 can be reached, clears again and contradicts nothing."),
    ("/rigs/1/numbers/sheet", "14 to set", "the monitor holds what the sheet says."),
    ("/rigs/2/numbers/sheet", "15 to set", "not read back yet."),
    ("/rigs/4/numbers/sheet", "15 to set", "These are the defaults: no version of the numbers is saved yet."),
    ("/rigs/1/numbers/versions", "", "One version, saved"),
    ("/rigs/4/numbers/versions", "", "No version is saved yet."),
    ("/rigs/1/wireup", "", "It is wired as planned since 16 Oct 2025: nothing is left to wire."),
    (
        "/rigs/2/wireup",
        "26 of 57",
        "Next: Count: every minus cable is on the rig side now.",
    ),
    ("/rigs/4/wireup", "", "No plan yet, so there are no steps."),
    ("/rigs/5/wireup", "0 of 43", "Next: Charge the battery until it is full."),
    ("/rigs/2/wireup/list", "26 of 57", "Wire-up of Marigold"),
    ("/rigs/1/prove", "8 of 8", "Every device is counted."),
    ("/rigs/2/prove", "0 of 9", "9 devices are not tested yet: an untested one can spoil the count."),
    ("/rigs/6/prove", "5 of 6", "1 device is not tested yet: an untested one can spoil the count."),
    ("/rigs/1/prove/record", "14", "entries in the proof record of Bookbus"),
    ("/rigs/4/prove/record", "0", "entries in the proof record of Curlew"),
    ("/rigs/1/watch", "65 %± 2", "The reserve of 15 % is hardly reached within a week"),
    ("/rigs/2/watch", "", "No readings yet."),
    (
        "/rigs/6/watch",
        "16 %",
        "The percentage cannot be believed. Almost certainly: a charger",
    ),
    ("/rigs/1/watch/checkup", "0", "No problems found in this log."),
    ("/rigs/2/watch/checkup", "", "There is no log to cross-examine."),
    ("/rigs/6/watch/checkup", "97 %likely", "Almost certainly: a charger bypasses the shunt."),
    ("/rigs/2/watch/ahead", "", "No forecast yet."),
    ("/rigs/1/watch/loads", "54 Aha day, at least", "Fridge takes the most"),
    ("/rigs/2/watch/loads", "", "No load can be picked out yet."),
    (
        "/rigs/1/watch/alarms",
        "0open now",
        "Nothing is open. Over this log “no reading” would have spoken once.",
    ),
    ("/rigs/2/watch/alarms", "0open now", "There is no log yet for a dry run."),
    ("/rigs/6/watch/alarms", "0open now", "Over this log “charging while cold” would have spoken 5 times."),
    ("/rigs/1/watch/opinions", "?", "Type what the batteries' own counters say."),
    ("/rigs/1/watch/devices", "", "No other device was heard here yet."),
    (
        "/rigs/6/watch/devices",
        "10columns of its own",
        "The shunt sees next to nothing of the solar controller",
    ),
    ("/rigs/1/watch/helm/layout", "", "What the board shows"),
    ("/rigs/1/watch/sums", "6.6full cycles' worth", "2098 Ah out and 2000 Ah in over 45 days"),
    ("/rigs/2/watch/sums", "", "Nothing on record yet."),
    ("/rigs/1/watch/ask", "", "What does the owner say?"),
    ("/rigs/1/watch/import", "", "Import a log of Bookbus"),
)


def first(pattern, page):
    """The words of the first element that a pattern finds, "" without one."""
    found = re.search(pattern, page, re.S)
    words = html.unescape(re.sub(r"<[^>]+>", "", found[1])) if found else ""
    return re.sub(r"\s+", " ", words).strip()


class Headings(unittest.TestCase):
    def test_every_page_of_the_demo_says_what_matters_first(self):
        with visitor(demo=True) as client:
            for address, number, heading in HEADINGS:
                with self.subTest(address):
                    page = client.get(address)
                    self.assertEqual(page.status_code, 200)
                    self.assertEqual(first(r'class="one-number"[^>]*>(.*?)</p>', page.text), number)
                    self.assertIn(heading, first(r"<h1[^>]*>(.*?)</h1>", page.text))

    def test_a_rig_opens_where_its_work_stands(self):
        with visitor(demo=True) as client:
            for rig, stage in ((1, "watch"), (2, "wireup"), (3, "wireup"), (4, "survey"), (5, "path")):
                with self.subTest(rig):
                    answer = client.get(f"/rigs/{rig}", follow_redirects=False)
                    self.assertEqual(
                        (answer.status_code, answer.headers["location"]), (303, f"/rigs/{rig}/{stage}")
                    )
