"""Watch as a service: the check-up cut at a mending, totals, loads named, opinions kept, exports, the
watchman and who he tells.
"""

import csv
import io
import json
import math
import smtplib
import tempfile
import unittest
import unittest.mock
from dataclasses import replace
from pathlib import Path
from unittest import mock

import numpy as np
import polars as pl

from benchmarks.trials.rigs import trial
from tests.services.shops import NOW, NUMBERS, opened_context, rig, steady, take
from volnik.core.errors import InvalidInput
from volnik.core.numbers.alarms import Alarm
from volnik.core.readings import Readings
from volnik.core.rig.bank import Bank
from volnik.core.rig.capacity import CapacityLabel
from volnik.main import mail_incident
from volnik.outlets.calendar import Dated, calendar_text
from volnik.outlets.mail import DevMailServer, MailBox, mail_box, plain_text, send
from volnik.outlets.metrics import RigMetrics, metrics_text
from volnik.services.live import tokens
from volnik.services.live.now import Live
from volnik.services.log import sources as watch_log
from volnik.services.log.band import width_of
from volnik.services.log.counted_log import moment, open_counted_log
from volnik.services.numbers import versions
from volnik.services.numbers.alarms import save_alarm
from volnik.services.survey.bank import save_bank
from volnik.services.watch import notes
from volnik.services.watch.ahead import ForecastQuestion, ahead_view
from volnik.services.watch.checked import checked, retry
from volnik.services.watch.incidents import acknowledge, alarms_watched
from volnik.services.watch.loads import keep_opinions, loads_view, name_load, opinions_view
from volnik.services.watch.sums import sums_view
from volnik.services.watch.tried import try_alarm
from volnik.services.watch.view import watch_view
from volnik.services.watch.watchman import Watchman
from volnik.services.yard.feeds import all_due, figures
from volnik.services.yard.rigs import new_rig, rig_head
from volnik.store.live import Batch
from volnik.store.rigs import rig as stored_rig
from volnik.tasks.exporting import ExportService


def trial_rig(shop, item, name="Heron"):
    """A trial rig taken into the yard with its log, brought up to the shop's now."""
    made = new_rig(shop, name=name, silhouette="van", what="trial", zone="UTC")
    save_bank(
        shop,
        made.id,
        Bank(
            item.chemistry,
            4 if item.chemistry == "lfp" else 6,
            item.cells // (4 if item.chemistry == "lfp" else 6),
            1,
            CapacityLabel("nameplate", ah=item.numbers.capacity_ah),
        ),
    )
    versions.save(shop, made.id, item.numbers, holds_from_s=None, reason="first", power_up="blank")
    moved = math.floor(NOW / 60.0) * 60.0 - item.readings.time_s[-1]
    readings = Readings(
        item.readings.time_s + moved, item.readings.volts, item.readings.amps, item.readings.extra
    )
    take(shop, made.id, readings)
    return made.id, readings


class CheckedUp(unittest.TestCase):
    def test_a_mending_cuts_the_log_and_what_was_unseen_stays_before_it(self):
        with opened_context() as shop:
            bad, good = trial("set", 20, "lfp", "charger_bypass", days=20), trial("set", 20, "lfp", days=20)
            half = len(bad.readings) // 2
            amps = np.concatenate([bad.readings.amps[:half], good.readings.amps[half:]])
            both = Readings(bad.readings.time_s, bad.readings.volts, amps, bad.readings.extra)
            moved = math.floor(NOW / 60.0) * 60.0 - both.time_s[-1]
            rig_id, _ = trial_rig(shop, bad)
            first = checked(shop, rig_id)
            self.assertEqual((len(first.parts), first.now.worst.cause), (1, "charger_bypass"))
            self.assertEqual(rig_head(shop, rig_id).rig.summary.believed, "not")
            watch_log.withdraw(shop, rig_id, 1)
            take(
                shop,
                rig_id,
                Readings(both.time_s + moved, both.volts, both.amps, both.extra),
                name="both.csv",
            )
            seam = float(both.time_s[half] + moved)
            with self.assertRaises(InvalidInput):
                notes.add(shop, rig_id, "mended", time_s=NOW + 3600.0, who="Tolly", body={})
            note = notes.add(shop, rig_id, "mended", time_s=seam, who="Tolly", body={"note": "solar moved"})
            after = checked(shop, rig_id)
            self.assertEqual(
                [part.worst and part.worst.cause for part in after.parts], ["charger_bypass", None]
            )
            self.assertGreater(after.parts[0].unseen.ah_day, 5.0)
            self.assertIsNone(after.now.unseen)
            self.assertNotIn("bypass", rig_head(shop, rig_id).rig.summary.reason)
            self.assertLess(after.parts[0].unseen.start_s[-1], seam)
            notes.withdraw(shop, rig_id, note)
            self.assertEqual(len(checked(shop, rig_id).parts), 1)

    def test_the_log_counted_with_the_correction_is_corrected_less_at_its_resets(self):
        with opened_context() as shop:
            rig_id, _ = trial_rig(shop, trial("apart", 503, "lfp", "efficiency"))
            found = checked(shop, rig_id).now.found
            made = retry(found.facts, {"coulombic_efficiency": 0.998})
            self.assertLess(made.off_after_ah, made.off_before_ah)
            self.assertIsNone(retry(found.facts, {}))
            self.assertEqual(len(made.before), len(made.time_s))

    def test_a_chargers_own_log_is_kept_beside_and_never_counted(self):
        with opened_context() as shop:
            rig_id, readings = trial_rig(shop, trial("set", 20, "lfp", "charger_bypass", days=10))
            before = watch_view(shop, rig_id).now.state
            take(
                shop,
                rig_id,
                Readings(readings.time_s[::5], readings.volts[::5], np.full(len(readings.time_s[::5]), 9.0)),
                name="controller.csv",
                kind="beside",
            )
            np.testing.assert_array_equal(watch_view(shop, rig_id).now.state.row(), before.row())
            self.assertEqual(checked(shop, rig_id).reference_log[0], "controller.csv")


class Widths(unittest.TestCase):
    def test_time_that_nobody_read_between_two_sources_widens_the_band_as_it_does_within_one(self):
        start_s = NOW - 6 * 86_400.0
        full = steady(1.0, 60, start_s=start_s, volts=14.3)
        day = steady(-2.0, 1440, start_s=start_s + 3600.0)
        later = steady(-2.0, 60, start_s=start_s + 2 * 86_400.0)  # a day later, as from a bridge
        halves = []
        for sources in ([[full, day, later]], [[full, day], [later]]):
            with opened_context() as shop:
                rig_id = rig(shop)
                for number, spans in enumerate(sources):
                    arrays = (
                        np.concatenate([getattr(span, name) for span in spans])
                        for name in ("time_s", "volts", "amps")
                    )
                    take(shop, rig_id, Readings(*arrays), name=f"part {number}")
                with shop.db.reading() as session:
                    counted_log = open_counted_log(session, shop, rig_id)
                    width = width_of(session, shop, counted_log)
                at = width.at(start_s + 2 * 86_400.0 + 600.0)
                halves.append(sum(half**2 for _, half in width.causes(at)) ** 0.5)
                self.assertGreater(halves[-1], 0.3)
        # by hand: 23 hours unread at the 2 A the day took are 46 of 100 Ah, times 1.64 and the start's own
        # doubt
        self.assertAlmostEqual(halves[0], 1.64 * 0.46, delta=0.08)

    def test_the_band_goes_on_over_new_numbers_and_agrees_by_readings_and_by_half_hours(self):
        with opened_context() as shop:
            rig_id, readings = trial_rig(shop, trial("apart", 901, "lfp", days=20))
            with shop.db.reading() as session:
                counted_log = open_counted_log(session, shop, rig_id)
                exact = width_of(session, shop, counted_log)
                from volnik.services.log.band import _coarse

                bank = stored_rig(session, counted_log.rig_id).bank
                coarse = _coarse(session, shop, counted_log, bank)
            self.assertEqual(len(exact.time_s), len(readings))
            at = coarse.time_s[np.isfinite(coarse.centre)]
            fine = exact.high - exact.low
            wide = np.interp(at, exact.time_s, fine)
            broad = (coarse.high - coarse.low)[np.isfinite(coarse.centre)]
            self.assertLess(float(np.median(np.abs(wide - broad))), 0.012)
            numbers = type(NUMBERS)(
                **{**trial("apart", 901, "lfp", days=1).numbers.as_dict(), "dead_band_a": 0.2}
            )
            versions.save(
                shop,
                rig_id,
                numbers,
                holds_from_s=float(readings.time_s[len(readings) // 2]),
                reason="tried",
                power_up="blank",
            )
            self.assertIsNotNone(watch_view(shop, rig_id).width)


class Totals(unittest.TestCase):
    def test_days_add_up_to_the_ledger_and_exports_to_the_readings(self):
        with opened_context() as shop, tempfile.TemporaryDirectory() as folder:
            rig_id, readings = trial_rig(shop, trial("apart", 702, "lfp", days=12))
            view = sums_view(shop, rig_id)
            state = view.now.state
            self.assertAlmostEqual(float(view.rows.out_ah.sum()), state.out_ah, places=6)
            self.assertAlmostEqual(float(view.rows.in_wh.sum()), state.in_wh, places=4)
            self.assertAlmostEqual(
                float(sums_view(shop, rig_id, "month").rows.in_ah.sum()), state.in_ah, places=6
            )
            self.assertEqual(int(view.resets.sum()), view.life.resets)
            notes.add(
                shop,
                rig_id,
                "trip",
                time_s=float(readings.time_s[0]) - 1,
                who="",
                body={"name": "All of it", "end_s": NOW + 1},
            )
            self.assertAlmostEqual(sums_view(shop, rig_id).trips[0].out_ah, state.out_ah, places=6)
            desk = ExportService(shop, Path(folder) / "out")

            def written(what, form):
                path, name = desk.fetched(desk.export(rig_id, what=what, form=form))
                self.assertTrue(name.startswith("heron-" + what), name)
                return path.read_bytes()

            rows = list(csv.DictReader(io.StringIO(written("readings", "csv").decode())))
            self.assertEqual(
                (len(rows), float(rows[5]["amps"]), float(rows[5]["volts"])),
                (len(readings), readings.amps[5], round(readings.volts[5], 6)),
            )
            self.assertTrue(rows[0]["time"].endswith("Z"))
            counted = [json.loads(line) for line in written("counted", "jsonl").splitlines()]
            self.assertAlmostEqual(counted[-1]["deficit_ah"], state.deficit_ah, places=4)
            self.assertTrue(counted[-1]["soc_low"] <= counted[-1]["soc"] + 0.02 and counted[0]["soc"] is None)
            totals = pl.read_parquet(io.BytesIO(written("totals", "parquet")))
            self.assertAlmostEqual(float(totals["out_ah"].sum()), state.out_ah, places=3)
            self.assertIsNone(desk.fetched("nothing"))

    def test_a_rig_without_a_log_says_so_everywhere(self):
        with opened_context() as shop, tempfile.TemporaryDirectory() as folder:
            rig_id = rig(shop)
            self.assertIsNone(checked(shop, rig_id))
            self.assertIsNone(loads_view(shop, rig_id).loads)
            self.assertIsNone(sums_view(shop, rig_id).rows)
            self.assertIn("no log", ahead_view(shop, rig_id).trouble)
            with self.assertRaisesRegex(ValueError, "nothing to export"):
                ExportService(shop, Path(folder)).export(rig_id, what="readings", form="csv")


class Told(unittest.TestCase):
    def test_forecast_loads_and_opinions_of_a_rig(self):
        with opened_context() as shop:
            rig_id, _ = trial_rig(shop, trial("apart", 706, "lfp"))
            view = ahead_view(shop, rig_id, ForecastQuestion(nights=3))
            self.assertEqual(view.trouble, "")
            self.assertTrue(0.0 <= view.stay <= 1.0)
            self.assertGreater(view.plain.days, 20)
            unknown = loads_view(shop, rig_id).loads.unknown
            self.assertTrue(unknown)
            name_load(shop, rig_id, name="Kettle", amps=unknown[0].amps, at_s=NOW, who="Tolly")
            self.assertIn("Kettle", [item.name for item in loads_view(shop, rig_id).loads.named])
            with self.assertRaisesRegex(InvalidInput, "1 to 60"):
                name_load(shop, rig_id, name=" ", amps=4.0, at_s=NOW, who="")
            with self.assertRaises(InvalidInput) as refused:
                keep_opinions(
                    shop, rig_id, [{"name": "a", "soc_pct": 140.0, "capacity_ah": 100.0}], at_s=NOW, who=""
                )
            self.assertIn("0.soc_pct", refused.exception.problems)
            keep_opinions(
                shop,
                rig_id,
                [
                    {"name": "a", "soc_pct": 80.0, "capacity_ah": 100.0},
                    {"name": "b", "soc_pct": 60.0, "capacity_ah": 300.0},
                ],
                at_s=NOW - 60,
                who="Tolly",
            )
            self.assertAlmostEqual(opinions_view(shop, rig_id).latest.soc, 0.65)


class Watched(unittest.TestCase):
    def live(self, shop, rig_id):
        made = tokens.make(shop, kind="bridge", rig_id=rig_id, name="mast", interval_s=60.0)
        live = Live(shop, clock=lambda: self.now)
        self.now = 0.0
        return made.token, live

    def send(self, shop, live, bridge, start_s, volts, *, amps=-2.0):
        rows = [
            (round((start_s + 60.0 * at) * 1000), volt, amps, None, None, None, None)
            for at, volt in enumerate(volts)
        ]
        batch = Batch(bridge.id, bridge.rig_id, NOW, rows)
        shop.live.keep([batch])
        live.heard(bridge, batch)

    def test_a_live_alarm_speaks_once_is_mailed_acknowledged_and_ends(self):
        hole = DevMailServer(0)
        hole.start()
        self.addCleanup(hole.close)
        box = MailBox("127.0.0.1", hole.port, "shop@example.org", ("maren@example.org",))
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-1.0, 100, start_s=NOW - 86400))
            bridge, live = self.live(shop, rig_id)
            save_alarm(
                shop,
                rig_id,
                {
                    "key": "low_volts",
                    "level": 12.0,
                    "release": 12.5,
                    "delay_s": 60.0,
                    "volnik": True,
                    "on": True,
                },
                reason="set",
            )
            man = Watchman(shop, live, [("mail", lambda item: mail_incident(box, item))])
            self.send(shop, live, bridge, NOW - 3600, [13.0, 11.8, 11.7, 11.6])
            with self.assertLogs("volnik", "INFO") as said:
                spoke = man.check_rig(rig_id)
            self.assertEqual([item.sentence for item in spoke], ["Low volts: down to 11.60 V"])
            self.assertIn("Mail to maren@example.org: Tern: Low volts: down to 11.60 V", said.output[0])
            self.assertEqual(hole.kept[0]["Subject"], "Tern: Low volts: down to 11.60 V")
            self.assertEqual(man.check_rig(rig_id), [])
            kept = alarms_watched(shop, rig_id).incidents[0]
            self.assertTrue(kept.incident.is_open)
            self.assertEqual([way for way, _, trouble in kept.notified if not trouble], ["page", "mail"])
            self.assertEqual(acknowledge(shop, rig_id, kept.id, who="Tolly").acked_by, "Tolly")
            self.send(shop, live, bridge, NOW - 3300, [11.5, 12.6, 13.0])
            self.assertEqual(man.check_rig(rig_id), [])
            ended = alarms_watched(shop, rig_id).incidents[0].incident
            self.assertEqual((ended.end_s, ended.worst), (NOW - 3240, 11.5))
            # after a restart nothing is told again
            self.assertEqual(Watchman(shop, live).check_rig(rig_id), [])
            self.assertEqual(len(hole.kept), 1)

    def test_what_nobody_has_seen_is_told_again_once(self):
        said = []
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-1.0, 100, start_s=NOW - 86400))
            bridge, live = self.live(shop, rig_id)
            alarm = {"key": "low_volts", "level": 12.0, "release": 12.5, "delay_s": 60.0, "again_min": 30.0}
            save_alarm(shop, rig_id, alarm, reason="set")
            man = Watchman(shop, live, [("mail", lambda item: said.append(item.sentence))])
            self.send(shop, live, bridge, NOW - 3600, [13.0, 11.8, 11.7, 11.6])
            man.check_rig(rig_id)
            later = NOW
            for minutes, told in ((20.0, 1), (31.0, 2), (90.0, 2)):
                later = NOW + 60.0 * minutes
                with unittest.mock.patch.object(type(shop), "now", lambda _: later):  # noqa: B023
                    man.check_rig(rig_id)
                self.assertEqual(len(said), told, minutes)
            self.assertEqual(said[1], "Still open, and seen by nobody for 30 min: Low volts: down to 11.60 V")

    def test_an_alarm_is_tried_by_every_way_and_put_on_record(self):
        def broken(item):
            raise OSError("no route")

        said = []
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-1.0, 100, start_s=NOW - 86400))
            save_alarm(shop, rig_id, {"key": "low_volts", "level": 12.0, "release": 12.5}, reason="set")
            ways = [("mail", lambda item: said.append(item.sentence)), ("other", broken)]
            with self.assertLogs("volnik", "WARNING"):
                try_alarm(shop, ways, rig_id, "low_volts", "Maren")
            self.assertEqual(said, ["Test of “Low volts”, started by Maren: nothing is wrong"])
            kept = notes.notes_of(shop, rig_id, "alarm_tried")[0]
            self.assertEqual(kept.body["results"], [["mail", ""], ["other", "no route"]])
            self.assertEqual(alarms_watched(shop, rig_id).incidents, [])  # a test is no incident
            with self.assertRaises(InvalidInput):
                try_alarm(shop, ways, rig_id, "hot", "Maren")

    def test_silence_is_told_by_its_arrival_and_a_mail_that_fails_is_noted(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            bridge, live = self.live(shop, rig_id)
            save_alarm(
                shop,
                rig_id,
                {
                    "key": "no_reading",
                    "level": 15.0,
                    "release": 1.0,
                    "delay_s": 0.0,
                    "volnik": True,
                    "on": True,
                },
                reason="set",
            )
            take(shop, rig_id, steady(-1.0, 10, start_s=NOW - 9000))
            self.send(shop, live, bridge, NOW - 3600, [13.0] * 3)
            nobody = MailBox("127.0.0.1", 1, "a@b", ("c@d",))
            man = Watchman(shop, live, [("mail", lambda item: send(nobody, subject="x", text="y"))])
            self.assertEqual(man.check_rig(rig_id), [])
            self.now = 20 * 60.0
            with self.assertLogs("volnik", "WARNING") as failed:
                spoke = man.check_rig(rig_id)
            self.assertEqual([item.sentence for item in spoke], ["No reading: up to 20 min"])
            self.assertEqual(man.check_rig(rig_id), [])
            self.assertIn("could not be sent by mail", failed.output[0])
            self.assertTrue(alarms_watched(shop, rig_id).incidents[0].notified[-1][2])
            self.send(shop, live, bridge, NOW - 600, [13.0])
            man.check_rig(rig_id)
            self.assertFalse(alarms_watched(shop, rig_id).incidents[0].incident.is_open)

    def test_the_dry_run_tells_how_often_each_would_have_spoken(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            volts = np.tile(np.concatenate([np.full(700, 13.2), np.full(20, 11.0), np.full(720, 13.2)]), 5)
            readings = steady(-0.5, len(volts), start_s=NOW - 60.0 * len(volts))
            take(shop, rig_id, Readings(readings.time_s, volts, readings.amps))
            save_alarm(
                shop,
                rig_id,
                {
                    "key": "low_volts",
                    "level": 12.0,
                    "release": 12.5,
                    "delay_s": 60.0,
                    "volnik": True,
                    "on": True,
                },
                reason="set",
            )
            runs = {item.alarm.key: item for item in alarms_watched(shop, rig_id).dry}
            self.assertEqual(runs["low_volts"].spoke, 5)
            self.assertAlmostEqual(runs["low_volts"].share, 5 * 19 / len(volts), delta=0.001)
            self.assertNotIn("relay", runs)


class Feeds(unittest.TestCase):
    def test_calendar_and_metrics_are_what_their_formats_say(self):
        with opened_context() as shop:
            rig_id = rig(shop)
            take(shop, rig_id, steady(-1.0, 100, start_s=NOW - 86400))
            due = all_due(shop)[0]
            self.assertEqual({item.key for item in due.due}, {"full", "file"})
            text = calendar_text(
                [Dated("m1", "Tern", item.what, item.at_s, item.why, item.at_s < NOW) for item in due.due],
                now_s=NOW,
                shop="Shop",
            ).decode()
            self.assertEqual((text.count("BEGIN:VEVENT"), text.count("\r\n") > 10), (2, True))
            self.assertIn("SUMMARY:Tern: Charge until full", text)
            body = metrics_text([RigMetrics(*figure) for figure in figures(shop)]).decode()
            self.assertTrue(body.rstrip().endswith("# EOF"))
            with shop.db.reading() as session:
                now = moment(session, shop, open_counted_log(session, shop, rig_id))
            self.assertIn(
                f'volnik_charge_ratio{{name="Tern",rig="{rig_id}"}} {now.soc}',
                body.replace(f'rig="{rig_id}",name="Tern"', f'name="Tern",rig="{rig_id}"'),
            )

    def test_mail_wants_tls_unless_switched_off_with_its_reason(self):
        for given, wants in (("required", True), ("off: inside our VPN", False)):
            with self.subTest(given):
                self.assertIs(mail_box("mail.example.org:25", "a@b", "c@d", tls=given).tls, wants)
        for given in ("off", "off:", "off: x", "maybe", ""):
            with self.subTest(given), self.assertRaisesRegex(ValueError, "VOLNIK_MAIL_TLS"):
                mail_box("mail.example.org:25", "a@b", "c@d", tls=given)

    def test_no_mail_and_no_password_go_to_a_server_without_tls_elsewhere(self):
        with DevMailServer(0) as hole:
            box = MailBox("127.0.0.1", hole.port, "a@b.invalid", ("c@d.invalid",))
            send(box, subject="here", text="on this machine")
            with mock.patch("volnik.outlets.mail._on_this_machine", return_value=False):
                with self.assertRaisesRegex(OSError, "offers no TLS"):
                    send(box, subject="there", text="elsewhere")
                send(replace(box, tls=False), subject="there", text="as it was switched off")
            self.assertEqual([message["Subject"] for message in hole.kept], ["here", "there"])

    def test_what_a_mail_holds_cannot_move_the_terminal(self):
        for given, shown in (
            ("a\x1b[31mb", "a\\x1b[31mb"),
            ("a\u202eb", "a\\u202eb"),
            ("é\nü", "é\nü"),
            ("\x00", "\\x00"),
        ):
            with self.subTest(shown):
                self.assertEqual(plain_text(given), shown)

    def test_a_message_in_a_charset_nobody_knows_is_kept(self):
        with DevMailServer(0) as hole, smtplib.SMTP("127.0.0.1", hole.port) as server:
            body = b"Subject: x\r\nContent-Type: text/plain; charset=nobody-knows\r\n\r\nhm\r\n"
            with self.assertLogs("volnik", "INFO") as said:
                server.sendmail("a@b.invalid", ["c@d.invalid"], body)
            self.assertIn("cannot be read", said.output[0])

    def test_mail_settings_that_cannot_be_are_said(self):
        self.assertIsNone(mail_box("", "", ""))
        self.assertEqual(mail_box("mail.example.org:25", "a@b", "c@d, e@f").to, ("c@d", "e@f"))
        for server, sender, to, said in (
            ("mail", "a@b", "c@d", "named such as"),
            ("m:25", "a@b", "", "an address such as"),
            ("m:25", "a@b", "c@d\nBcc: x@y", "an address"),
        ):
            with self.assertRaisesRegex(ValueError, said):
                mail_box(server, sender, to)

    def test_an_alarm_says_how_often_it_may_speak(self):
        with self.assertRaises(ValueError):
            Alarm(key="hot", level=50, release=45, most_a_day=0)
