// What every page shares: the help sheet, keys that lead somewhere, and posting with the form's token.
"use strict";

window.volnik = {
  token() {
    return document.querySelector('meta[name="form-token"]').content;
  },
  async post(address, body) {
    const answer = await fetch(address, { method: "POST", body, headers: { "X-Form-Token": this.token() } });
    return { ok: answer.ok, status: answer.status, text: await answer.text() };
  },
  say(text) {
    const place = document.createElement("p");
    place.className = "problem";
    place.setAttribute("role", "alert");
    place.textContent = text;
    document.querySelector("main").prepend(place);
    setTimeout(() => place.remove(), 9000);
  },
};

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-help]")) document.getElementById("help").showModal();
  if (event.target.closest("[data-print]")) window.print();
});

// A file too large is told before it is sent.
document.addEventListener("change", (event) => {
  const { most } = event.target.dataset;
  const file = most && event.target.files && event.target.files[0];
  if (!file || file.size <= Number(most)) return;
  window.volnik.say(`That file has ${Math.round(file.size / 1048576)} MB; at most ${Math.round(Number(most) / 1048576)} MB are taken. Send a smaller copy.`);
  event.target.value = "";
});

// Ticks that a step card could not send wait in this browser; whatever page is opened next sends them, each once by its mark.
(async () => {
  const waiting = Object.keys(localStorage).filter((key) => key.startsWith("volnik-ticks-"));
  if (location.pathname.endsWith("/wireup") || location.pathname === "/pair") return;
  for (const key of waiting) {
    try {
      const ticks = JSON.parse(localStorage.getItem(key));
      if (!ticks.length) continue;
      const answer = await fetch(`/rigs/${key.slice(13)}/wireup/ticks`, { method: "POST", body: JSON.stringify({ ticks }), headers: { "Content-Type": "application/json", "X-Form-Token": window.volnik.token() } });
      if (!answer.ok) continue;
      const gone = new Set((await answer.json()).ticks.filter((one) => one.kept).map((one) => one.mark));
      localStorage.setItem(key, JSON.stringify(JSON.parse(localStorage.getItem(key)).filter((one) => !gone.has(one.mark))));
    } catch { /* still away: they wait on */ }
  }
})();

let led = false;
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, select, textarea")) return;
  const rig = location.pathname.match(/^\/rigs\/\d+/);
  const ways = { y: "/", s: rig && `${rig[0]}/survey`, d: rig && `${rig[0]}/survey/devices`, p: rig && `${rig[0]}/path`, n: rig && `${rig[0]}/numbers`, w: rig && `${rig[0]}/watch`, u: rig && `${rig[0]}/wireup`, v: rig && `${rig[0]}/prove`, o: "/doors" };
  if (led && ways[event.key]) location.assign(ways[event.key]);
  led = event.key === "g";
  if (event.key === "?") document.getElementById("help").showModal();
  if (event.key === "/" && document.getElementById("search")) {
    event.preventDefault();
    document.getElementById("search").focus();
  }
});
