"""Columns of a rig's own from a bridge to the pages: kept, drawn, judged, exported; a board; signed posts."""

import io
import json
import re
import sqlite3
import tempfile
import unittest
from pathlib import Path

import numpy as np

from tests.services.shops import rig
from tests.web.shops import visitor
from tests.web.test_live import made
from volnik.core.columns import values_of
from volnik.core.signing import signed, signed_text
from volnik.feeds.files import open_log, read_log
from volnik.outlets.mqtt import figures_of
from volnik.services.live.pending import ingest_pending
from volnik.services.watch import notes
from volnik.services.watch.checked import charger_logs
from volnik.services.watch.own_columns import standing
from volnik.services.watch.stretch import _feeds
from volnik.services.yard.rigs import rig_head
from volnik.store import logs
from volnik.store.live import Batch, LiveStore

START = 1_795_100_000  # a day before NOW


def spoken(at, **more):
    """A reading of a minute with a pack, a charger and a switch beside the shunt."""
    on = at // 30 % 2
    own = {
        "percent_pack": round(80.0 - 0.05 * at),
        "cell_volts_low": 3.31,
        "cell_volts_high": 3.318,
        "charger_volts_mains": 13.5,
        "charger_amps_mains": 0.0,
        "switch_pump": bool(on),
    }
    return {"time": START + 60 * at, "volts": 13.26, "amps": -2.0 - 4.0 * on, **own, **more}


class Kept(unittest.TestCase):
    def post(self, client, key, rows, rig_id):
        return client.post(f"/api/rigs/{rig_id}/readings", json=rows, headers=key)

    def test_they_are_kept_drawn_judged_exported_and_read_again(self):
        with visitor() as client:
            context = client.running.context
            rig_id = rig(context)
            _, key = made(client, rig_id, interval_s=60.0)
            plain = [{"time": START - 600, "volts": 13.3, "amps": -2.0}]
            self.assertEqual(self.post(client, key, plain, rig_id).status_code, 200)
            ingest_pending(context, rig_id)
            sent = [spoken(at) for at in range(240)]
            self.assertEqual(self.post(client, key, sent, rig_id).json()["taken"], 240)
            ingest_pending(context, rig_id)
            with context.db.reading() as session:
                *_, source = logs.sources(session, rig_id)
                chunk = logs.open_chunk(session, source, 0)
            self.assertEqual(chunk.extra["percent_pack"][0], 80.0)
            self.assertEqual(
                set(source.columns), {"volts", "amps", *(set(sent[0]) - {"time", "volts", "amps"})}
            )
            pens = f"start={START}&end={START + 14_400}&pens=volts,percent_pack,switch_pump"
            strip = client.get(f"/rigs/{rig_id}/watch/strip?{pens}").text
            self.assertIn("pack counter, %", strip)
            self.assertIn("more pens", client.get(f"/rigs/{rig_id}/watch").text)
            page = client.get(f"/rigs/{rig_id}/watch/devices").text
            self.assertIn("takes 4.0", page)
            self.assertIn("8 mV apart", page)
            self.assertIn("Too little was read of the other devices to judge them", page)  # four hours
            opinions = client.get(f"/rigs/{rig_id}/watch/opinions").text
            self.assertIn('value="pack counter"', opinions)
            for form in ("csv", "bdf"):
                choice = {"what": "readings", "form": form}
                left = client.change(f"/rigs/{rig_id}/watch/export", choice, page=f"/rigs/{rig_id}/watch")
                body = client.get(left.headers["location"]).content if left.is_redirect else left.content
                again = read_log(open_log(io.BytesIO(body)))
                self.assertEqual((len(again.readings), again.problem_count), (241, 0), form)
                np.testing.assert_allclose(again.readings.amps[-3:], [-6.0] * 3)

    def test_a_figure_beyond_its_limits_or_too_many_columns_are_refused_by_name(self):
        with visitor() as client:
            rig_id = rig(client.running.context)
            _, key = made(client, rig_id)
            for more, said in (
                ({"percent_pack": 120}, "percent_pack lies from 0 to 100 %"),
                ({"switch_pump": "on"}, "switch_pump must be a plain number"),
                ({f"volts_{at}": 1.0 for at in range(25)}, "at most 24 columns"),
            ):
                answer = self.post(client, key, [spoken(0, **more)], rig_id)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(said, answer.json()["error"])
            fine = {f"volts_{at}": 1.0 for at in range(18)}
            self.assertEqual(self.post(client, key, [spoken(1, **fine)], rig_id).status_code, 200)
            late = self.post(client, key, [spoken(2, volts_other=1.0)], rig_id)
            self.assertIn("brought others before", late.json()["error"])
            strange = self.post(client, key, [spoken(0, song="la")], rig_id)
            self.assertEqual(strange.json()["taken"], 1)

    def test_cells_that_part_stand_in_the_verdict_and_a_rig_without_says_how(self):
        with visitor() as client:
            context = client.running.context
            rig_id = rig(context)
            self.assertIn("No other device was heard", client.get(f"/rigs/{rig_id}/watch/devices").text)
            self.assertEqual(standing(context, rig_id), (None, None))
            _, key = made(client, rig_id, interval_s=60.0)
            apart = [spoken(at, cell_volts_high=3.40) | {"amps": -0.5, "switch_pump": 0} for at in range(60)]
            self.post(client, key, apart, rig_id)
            ingest_pending(context, rig_id)
            wanted = [message for _, message, _ in rig_head(context, rig_id).rig.summary.attention]
            self.assertTrue(any("At rest the cells part by 90 mV" in message for message in wanted), wanted)
            self.assertIn("At rest the cells part by 90 mV", client.get(f"/rigs/{rig_id}/watch/devices").text)

    def test_what_was_mended_since_is_told_no_more(self):
        with visitor(demo=True) as client:
            context = client.running.context

            def unseen():
                found = rig_head(context, 6).rig.summary.attention
                return [message for _, message, _ in found if "next to nothing of the solar" in message]

            self.assertEqual(len(unseen()), 1)
            body = {"note": "solar negative to the rig side"}
            notes.add(context, 6, "mended", time_s=context.now(), who="Tolly", body=body)
            self.assertEqual(unseen(), [])
            self.assertNotIn("next to nothing of the solar", client.get("/rigs/6/watch/devices").text)

    def test_each_charger_that_tells_its_amps_says_its_part_of_a_stretch(self):
        with visitor(demo=True) as client:
            context = client.running.context
            with context.db.reading() as session:
                (log,) = [each for each in charger_logs(session, context, 6) if each.name == "dc dc charger"]
                span = (log.time_s[-1] - 7 * 86_400.0, log.time_s[-1])
                told, untold = _feeds(session, context, 6, span, 1e6)
                halved, _ = _feeds(session, context, 6, span, sum(ah for _, ah in told) / 2.0)
            self.assertEqual(untold, ())
            week = log.time_s >= span[0]
            by_hand = log.amps[week].sum() / 60.0  # a reading a minute
            self.assertAlmostEqual(dict(told)["DC-DC charger"], by_hand, delta=0.02 * by_hand)
            self.assertAlmostEqual(dict(halved)["DC-DC charger"], by_hand / 2.0, delta=0.02 * by_hand)

    def test_a_live_file_of_before_is_opened_and_keeps_them(self):
        with tempfile.TemporaryDirectory() as folder:
            before = LiveStore(Path(folder))
            before.close()
            with sqlite3.connect(Path(folder) / "live.sqlite3") as connection:
                for table in ("tail", "heard"):
                    connection.execute(f"ALTER TABLE {table} DROP COLUMN own")
            connection.close()
            live = LiveStore(Path(folder))
            row = (1_000, 13.2, -4.0, None, None, None, '{"percent_pack":81.0}')
            live.keep([Batch(1, 1, 0.0, [row, (2_000, 13.2, -4.0, None, None, None, None)])])
            tail = live.tail(1)
            np.testing.assert_array_equal(tail.extra["percent_pack"], [81.0, np.nan])
            (heard,) = live.heard()
            self.assertNotIn("percent_pack", values_of(heard.row))
            live.close()


class Signed(unittest.TestCase):
    def test_a_signed_post_is_taken_and_one_forged_or_for_another_address_is_not(self):
        with visitor() as client:
            rig_id = rig(client.running.context)
            token, _ = made(client, rig_id)
            path = f"/api/rigs/{rig_id}/readings"
            rows = [{"time": START + at, "volts": 13.2, "amps": -2.0} for at in range(3)]
            fine = signed(token.secret, path, rows, at_s=1.0, counter=5_000)
            self.assertEqual(client.post(path, content=fine).json(), {"taken": 3, "repeated": 0, "late": 0})
            self.assertEqual(client.post(path, content=fine).json()["repeated"], 3)
            told = signed_text(token.secret, path, "3 brought", at_s=1.0, counter=5_001)
            self.assertEqual(client.get(path, headers={"x-bridge-signed": told}).status_code, 200)
            self.assertEqual(client.running.live.said_by(token.token.id)[0], "3 brought")
            turned = json.dumps({**json.loads(fine), "body": "[]"})
            for body, status in (
                (turned, 403),
                (signed("guessed", path, rows, at_s=1.0, counter=5_002), 403),
                (signed(token.secret, "/api/rigs/9/readings", rows, at_s=1.0, counter=5_003), 403),
                (
                    signed(token.secret, path, rows, at_s=1.0, counter=7),
                    422,
                ),  # long ago: caught and sent again
                ('{"mac": "x"}', 422),
                ("[]", 401),
            ):
                answer = client.post(path, content=body)
                self.assertEqual(answer.status_code, status, body[:60])
                self.assertTrue(answer.json()["error"])


class Out(unittest.TestCase):
    def test_single_figures_are_plain_and_an_old_one_is_taken_back(self):
        state = {
            "fresh": True,
            "volts": 13.2,
            "amps": -4.0,
            "believed": True,
            "soc": 0.62,
            "soc_low": 0.58,
            "soc_high": 0.66,
        }
        told = figures_of(state)
        self.assertEqual(
            (told["volts"], told["charge_percent"], told["charge_low"]), ("13.200", "62.0", "58.0")
        )
        self.assertEqual((told["celsius"], told["believed"]), ("", "1"))
        self.assertEqual(set(figures_of(state | {"fresh": False}).values()), {""})
        doubted = figures_of(state | {"believed": False, "soc": None, "soc_low": None, "soc_high": None})
        self.assertEqual(
            (doubted["believed"], doubted["charge_percent"], doubted["volts"]), ("0", "", "13.200")
        )


class Board(unittest.TestCase):
    def test_it_is_laid_out_kept_and_shown_on_demo_signals(self):
        with visitor() as client:
            rig_id = rig(client.running.context)
            page = f"/rigs/{rig_id}/watch/helm/layout"
            board = f"/rigs/{rig_id}/watch/helm"
            self.assertIn("Ah below full", client.get(board).text)
            rows = {"0.what": "volts", "0.label": "house", "0.low": "12.2", "0.high": "", "1.what": "soc"}
            rows |= {"1.label": "", "1.low": "", "1.high": ""}
            up = client.submit(page, rows | {"act": "up:1"}, page=page)
            self.assertLess(up.text.index('value="soc" selected'), up.text.index('value="volts" selected'))
            twice = client.submit(page, rows | {"act": "twice:0"}, page=page)
            self.assertEqual(twice.text.count('value="house"'), 2)
            self.assertEqual(
                client.submit(page, rows | {"act": "off:0"}, page=page).text.count("<fieldset"), 1
            )
            self.assertEqual(
                client.submit(page, rows | {"act": "add:"}, page=page).text.count("<fieldset"), 3
            )
            wrong = client.submit(page, rows | {"0.high": "11", "act": "save"}, page=page)
            self.assertEqual(wrong.status_code, 422)
            self.assertIn("Above 12.2.", wrong.text)
            self.assertIn('value="house"', wrong.text)
            saved = client.submit(page, rows | {"act": "save"}, page=page)
            self.assertEqual(saved.headers["location"], board)
            shown = client.get(board).text
            self.assertLess(shown.index("house"), shown.index("charge"))
            self.assertIn("no bridge was heard yet", shown)
            demo = client.get(f"{board}?demo=1").text
            frames = json.loads(re.search(r'data-demo="([^"]+)"', demo)[1].replace("&#34;", '"'))
            self.assertTrue(all({"volts", "amps", "soc"} <= set(frame) for frame in frames))
            self.assertIn("demo signals", demo)


class FromFiles(unittest.TestCase):
    def test_other_columns_of_a_file_are_kept_as_what_they_are_said_to_be(self):
        with visitor() as client:
            rig_id = rig(client.running.context)
            lines = [f"{START + 60 * at},13.2,-2.0,{80 - at},{3301 + at},x" for at in range(30)]
            text = "\n".join(["time,volts,amps,SOC (%),Cell 1 (mV),note", *lines])
            looked = client.change(f"/rigs/{rig_id}/watch/import", files={"file": ("mine.csv", text)})
            address = looked.headers["location"]
            self.assertIn("0 of 3 kept", client.get(address).text)
            fields = {f"column_{name}": name for name in ("time", "volts", "amps")}
            fields |= {"time_kind": "epoch_s", "decimal": ".", "keep_SOC (%)": "percent"}
            fields |= {"keep_Cell 1 (mV)": "cell_volts", "keep_note": ""}
            draft = client.change(f"{address}/draft", fields).text
            self.assertIn("soc counter", draft)
            self.assertIn("cell 1", draft)
            client.change(address, fields)
            with client.running.context.db.reading() as session:
                (source,) = logs.sources(session, rig_id)
                chunk = logs.open_chunk(session, source, 0)
            self.assertEqual(source.columns, ["volts", "amps", "percent_soc", "cell_volts_1"])
            self.assertEqual((chunk.extra["percent_soc"][0], chunk.extra["cell_volts_1"][0]), (80.0, 3.301))
