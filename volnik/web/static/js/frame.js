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

let led = false;
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, select, textarea")) return;
  const rig = location.pathname.match(/^\/rigs\/\d+/);
  const ways = { y: "/", s: rig && `${rig[0]}/survey`, d: rig && `${rig[0]}/survey/devices`, p: rig && `${rig[0]}/path`, n: rig && `${rig[0]}/numbers`, w: rig && `${rig[0]}/watch` };
  if (led && ways[event.key]) location.assign(ways[event.key]);
  led = event.key === "g";
  if (event.key === "?") document.getElementById("help").showModal();
  if (event.key === "/" && document.getElementById("search")) {
    event.preventDefault();
    document.getElementById("search").focus();
  }
});
