// The roll call: presses are sent, and the desk is drawn anew while readings come in.
"use strict";

document.addEventListener("DOMContentLoaded", () => {
  const root = document.querySelector(".prove");
  if (!root) return;
  const { rig } = root.dataset;
  const desk = root.querySelector("[data-desk]");
  let busy = false;
  let last = 0;

  // Only what changed is drawn anew: a button under a thumb stays where it is.
  const drawn = new Map();
  function parts(place) {
    return [...place.querySelectorAll("[data-part]")];
  }
  function put(html) {
    const fresh = document.createElement("template");
    fresh.innerHTML = html;
    for (const part of parts(fresh.content)) {
      const { part: name } = part.dataset;
      const place = desk.querySelector(`[data-part="${name}"]`);
      if (drawn.get(name) === part.innerHTML) continue;
      drawn.set(name, part.innerHTML);
      const active = document.activeElement;
      const inside = active && place.contains(active);
      const typed = inside && active.matches("[data-display], [data-clamp]") ? active.value : null;
      const key = inside ? (active.id ? `#${active.id}` : active.dataset.press ? `[data-press="${active.dataset.press}"]` : active.dataset.call ? `[data-call="${active.dataset.call}"]` : "") : "";
      place.replaceChildren(...part.childNodes);
      const again = key && place.querySelector(key);
      if (again) {
        again.focus();
        if (typed !== null) again.value = typed;
      }
    }
  }
  parts(desk).forEach((one) => drawn.set(one.dataset.part, one.innerHTML));
  let held = false;
  window.addEventListener("pointerdown", () => { held = true; });
  window.addEventListener("pointerup", () => setTimeout(() => { held = false; }, 60));
  window.addEventListener("pointercancel", () => { held = false; });

  async function post(body) {
    busy = true;
    const form = new FormData();
    for (const [name, value] of Object.entries(body)) form.append(name, value);
    try {
      const answer = await window.volnik.post(`/rigs/${rig}/prove/call`, form);
      if (answer.ok || answer.status === 422) put(answer.text);
      else window.volnik.say("That was not taken; try again.");
    } catch {
      window.volnik.say("The link to Volnik is away; press again when it is back.");
    }
    busy = false;
  }

  async function refresh() {
    if (busy || held || document.hidden || performance.now() - last < 800) return;
    const field = document.activeElement;
    if (field && field.matches("[data-clamp], .typed-roll input, .typed-roll select")) return;
    busy = true;
    last = performance.now();
    try {
      const answer = await fetch(`/rigs/${rig}/prove/desk`);
      if (answer.ok) put(await answer.text());
    } catch { /* the stream says that the link is away */ }
    busy = false;
  }

  function called(target) {
    const clamp = desk.querySelector("[data-clamp]");
    return post({ what: "call", device: target.dataset.call, clamp: clamp && target.tagName === "BUTTON" ? clamp.value : "" });
  }

  root.addEventListener("click", (event) => {
    const press = event.target.closest("[data-press]");
    const call = event.target.closest("[data-call]");
    const take = event.target.closest("[data-take]");
    if (press) {
      const display = desk.querySelector("[data-display]");
      post({ what: press.dataset.press, display: display ? display.value : "" });
    } else if (call) called(call);
    else if (take) {
      const now = live.latest();
      if (now && now.heard && now[take.dataset.column] !== undefined && live.age() <= now.fresh_s) document.getElementById(take.dataset.take).value = now[take.dataset.column];
      else window.volnik.say("No fresh reading now: type what the monitor shows.");
    }
  });
  root.addEventListener("keydown", (event) => {
    const call = event.target.closest("g[data-call]");
    if (call && (event.key === "Enter" || event.key === " ")) {
      event.preventDefault();
      called(call);
    }
    if (event.target.matches("[data-display]") && event.key === "Enter") desk.querySelector('[data-press="off"]').click();
  });
  const live = window.volnikLive.start(rig, () => refresh());
});
