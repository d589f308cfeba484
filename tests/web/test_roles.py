"""Who may do what: every route names whom it lets in, and each role gets that and no more."""

import re
import unittest

from fastapi.testclient import TestClient

from tests.web.shops import routes_of, visitor
from volnik.core.roles import has_ended
from volnik.store import changes

HOST = {"host": "192.168.7.2:80"}
DAY_S = 86_400.0


class Named(unittest.TestCase):
    def test_every_route_names_whom_it_lets_in(self):
        with visitor() as client:
            for route in routes_of(client.app):
                with self.subTest(route.path):
                    self.assertTrue(
                        hasattr(route.endpoint, "roles"), "add @for_everyone or another of web/routing.py"
                    )

    def test_no_owner_is_let_into_a_route_that_shows_other_rigs(self):
        whole = {"/", "/preferences", "/pair", "/jobs/{job_id}", "/jobs/{job_id}/state"}
        with visitor() as client:
            for route in routes_of(client.app):
                if "owner" in getattr(route.endpoint, "roles", ()):
                    self.assertTrue("{rig_id}" in route.path or route.path in whole, route.path)


class Phones(unittest.TestCase):
    def setUp(self):
        self.client = self.enterContext(visitor(demo=True))
        self.web = self.client.running.app.state.web

    def _phone(self, role, rig_id=None, name="Ann"):
        """A phone paired as that."""
        phone = TestClient(
            self.client.running.app,
            base_url="http://192.168.7.2:80",
            client=("192.168.7.40", 5555),
            headers=HOST,
            follow_redirects=False,
            raise_server_exceptions=False,
        )
        code = self.web.pairing.code(new=True, role=role, rig_id=rig_id).text
        paired = self._post(phone, "/pair", {"code": code, "name": name}, page="/pair")
        self.assertEqual(paired.status_code, 303)
        return phone

    @staticmethod
    def _post(phone, address, data=None, page="/rigs/1/survey", **more):
        token = re.search(r'name="form-token" content="([^"]+)"', phone.get(page).text).group(1)
        return phone.post(address, data=data or {}, headers={"x-form-token": token}, **more)

    def test_what_each_role_may(self):
        name = {"name": "Heron", "silhouette": "van", "what": "", "zone": "UTC"}
        log = {"file": ("log.csv", b"time,volts,amps\n1767225600,13,1\n", "text/csv")}
        readers = ("/rigs/1/survey", "/rigs/1/path", "/rigs/1/numbers", "/rigs/1/wireup", "/rigs/1/watch")
        reads = [("GET", address, {}) for address in readers]
        others = [("GET", "/rigs/2/watch", {}), ("GET", "/shelf", {})]
        helps = [
            ("POST", "/rigs/1/prove/checks", {"data": {"check": "volts", "meter": "13", "monitor": "13"}}),
            ("POST", "/rigs/1/watch/import", {"files": log}),
        ]
        changes_ = [
            ("POST", "/rigs/1/name", {"data": name}),
            ("POST", "/rigs/1/path/step", {"data": {"drawing": "planned", "way": "undo"}}),
            ("POST", "/shelf/storage", {"data": {"months": "12"}}),
        ]
        doors = [("GET", "/doors", {}), ("POST", "/doors/code", {})]
        for role, may in (
            ("installer", [*reads, *others, *helps, *changes_]),
            ("helper", [*reads, *others, *helps]),
            ("owner", reads),
        ):
            phone = self._phone(role, 1)
            for method, address, more in (*reads, *others, *helps, *changes_, *doors):
                with self.subTest(role, address=address):
                    asked = phone.get(address) if method == "GET" else self._post(phone, address, **more)
                    if (method, address, more) in may:
                        self.assertLess(asked.status_code, 500)
                        self.assertNotEqual(asked.status_code, 403)
                    else:
                        self.assertEqual(asked.status_code, 403)

    def test_an_owner_is_led_to_his_rig_and_told_why_not_further(self):
        phone = self._phone("owner", 2)
        self.assertEqual(phone.get("/").headers["location"], "/rigs/2/owner")
        self.assertIn("paired with another rig", phone.get("/rigs/1/watch").text)
        self.assertIn("looks at one rig", phone.get("/shelf").text)

    def test_what_a_phone_does_is_on_record_under_its_own_name(self):
        phone = self._phone("installer", name="Ann")
        phone.cookies.set("volnik_who", "Mallory")
        self._post(phone, "/rigs/1/name", {"name": "Heron", "silhouette": "van", "what": "", "zone": "UTC"})
        with self.client.running.context.db.reading() as session:
            last = changes.listing(session, rig_id=1)[0]
        self.assertEqual((last.subject, last.who), ("rig/name", "Ann"))

    def test_the_laptop_is_asked_for_a_role_only_once_someone_is_paired(self):
        self.web.lan, self.web.addresses = True, lambda: ["192.168.7.2:80"]
        self.assertNotIn('name="role"', self.client.get("/doors").text)
        self._phone("helper")
        page = self.client.get("/doors").text
        self.assertIn('name="role"', page)
        self.assertIn("<td>helper", page)
        self.client.change("/doors/code", {"role": "owner", "rig_id": "2"})
        code = self.web.pairing.code()
        self.assertEqual((code.role, code.rig_id), ("owner", 2))
        self.client.change("/doors/code", {"role": "king", "rig_id": "2"})
        self.assertEqual((self.web.pairing.code().role, self.web.pairing.code().rig_id), ("installer", None))

    def test_a_code_that_ran_out_is_followed_by_one_for_no_more_than_was_chosen(self):
        pairing = self.web.pairing
        for role, rig_id in (("owner", 2), ("helper", None), ("installer", None)):
            first = pairing.code(new=True, role=role, rig_id=rig_id)
            pairing.clock = lambda first=first: first.until + 1
            with self.subTest(role):
                second = pairing.code()
                self.assertNotEqual(second.text, first.text)
                self.assertEqual((second.role, second.rig_id), (role, rig_id))

    def test_a_session_ends_unused_or_old_and_at_once_when_it_is_ended(self):
        phone, context = self._phone("installer"), self.client.running.context
        began_s = context.now()
        for days, code in ((0, 200), (29, 200), (58, 200), (89, 403)):
            context.now = lambda days=days: began_s + days * DAY_S
            self.web.pairing._seen.clear()  # a minute or more since
            with self.subTest(days):
                self.assertEqual(phone.get("/rigs/1/survey").status_code, code)
        self.assertIn("ended", self.client.get("/doors").text)
        for paired_d, seen_d, now_d, ended in (
            (0, 0, 30, False),
            (0, 0, 31, True),
            (0, 179, 180, False),
            (0, 180, 181, True),
        ):
            with self.subTest(now=now_d):
                self.assertIs(has_ended(paired_d * DAY_S, seen_d * DAY_S, now_d * DAY_S), ended)
