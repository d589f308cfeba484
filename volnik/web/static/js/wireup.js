// Step cards for the bay: one step a screen, ticks kept in the browser until they arrived, each sent once by its own mark.
"use strict";

document.addEventListener("DOMContentLoaded", () => {
  const root = document.querySelector(".wireup");
  if (!root) return;
  const rig = root.dataset.rig;
  const phases = root.dataset.phases.split(",");
  const strict = root.dataset.strict.split(",");
  const cards = [...root.querySelectorAll(".step-card")];
  const place = root.querySelector(".wireup-cards");
  const store = `volnik-ticks-${rig}`;
  const shown = `volnik-card-${rig}`;
  let sending = false;
  let away = false;

  const read = (key, otherwise) => { try { return JSON.parse(localStorage.getItem(key)) || otherwise; } catch { return otherwise; } };
  const queue = () => read(store, []);
  const keep = (ticks) => localStorage.setItem(store, JSON.stringify(ticks));
  const mark = () => (crypto.randomUUID ? crypto.randomUUID() : [...crypto.getRandomValues(new Uint8Array(16))].map((one) => one.toString(16).padStart(2, "0")).join(""));
  const card = (key) => cards.find((one) => one.dataset.step === key);
  const settled = (one) => one.dataset.state === "done" || one.dataset.state === "skipped";
  const at = () => cards.findIndex((one) => !one.hidden);

  function show(index) {
    const to = Math.min(cards.length - 1, Math.max(0, index));
    cards.forEach((one, number) => { one.hidden = number !== to; });
    sessionStorage.setItem(shown, cards[to].dataset.step);
    place.scrollTop = 0;
    root.querySelectorAll("[data-pip]").forEach((one) => one.classList.toggle("here", one.dataset.pip === cards[to].dataset.step));
  }

  // The order is the server's; it is told here too so that nothing is done out of turn while away.
  function order() {
    let before = "";
    let here = "";
    let phase = "";
    for (const one of cards) {
      if (one.dataset.phase !== phase) {
        before = before || here;
        here = "";
        phase = one.dataset.phase;
      }
      const first = before || (strict.includes(phase) ? here : "");
      one.querySelector(".step-blocked").hidden = !first || settled(one);
      one.querySelector(".step-blocked span").textContent = `First: ${first}.`;
      one.querySelector("[data-tick]").disabled = Boolean(first) || settled(one);
      one.dataset.before = first;
      if (!settled(one) && !here) here = one.dataset.title;
    }
  }

  function paint() {
    const waiting = queue();
    for (const one of cards) {
      one.classList.remove("open", "done", "skipped", "changed");
      one.classList.add(one.dataset.state);
      one.querySelector(".step-done").hidden = !settled(one);
      one.querySelector(".step-changed").hidden = one.dataset.state !== "changed";
      const glyph = root.querySelector(`[data-glyph="${CSS.escape(one.dataset.step)}"]`);
      if (glyph) glyph.textContent = { done: "✓", skipped: "–", changed: "!" }[one.dataset.state] || "○";
      const pip = root.querySelector(`[data-pip="${CSS.escape(one.dataset.step)}"]`);
      if (pip) pip.parentNode.setAttribute("class", `pip ${one.dataset.state}`);
    }
    order();
    const left = cards.filter((one) => !settled(one));
    root.querySelector("[data-settled]").textContent = cards.length - left.length;
    root.querySelector("[data-next]").textContent = left.length ? `Next: ${left[0].dataset.title}.` : "Every step is done or skipped.";
    root.querySelector("[data-close-job]").disabled = Boolean(left.length || waiting.length);
    root.querySelector("[data-queue]").textContent = waiting.length ? `${waiting.length} ${waiting.length === 1 ? "entry waits" : "entries wait"} in this browser${away ? "; the link is away, they are sent when it is back" : ""}.` : "";
  }

  function refused(key, why) {
    const one = card(key);
    if (!one) { window.volnik.say(why); return; }
    const told = one.querySelector(".step-refused");
    told.textContent = why;
    told.hidden = !why;
  }

  function local(tick) {
    const one = card(tick.step);
    if (!one) return;
    if (tick.kind === "done" || tick.kind === "skipped") {
      one.dataset.state = tick.kind;
      const said = tick.body.value !== undefined ? `: ${tick.body.value}` : tick.body.reason ? `: ${tick.body.reason}` : "";
      one.querySelector(".step-done span").textContent = `${tick.kind === "done" ? "Done" : "Skipped"} ${new Date(tick.time_s * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}${root.dataset.who ? ` by ${root.dataset.who}` : ""}${said}`;
    } else if (tick.kind === "undone") one.dataset.state = "open";
    else if (tick.kind === "note" && !one.querySelector(`[data-note-mark="${tick.mark}"]`)) {
      const line = document.createElement("li");
      line.textContent = tick.body.text;
      line.dataset.noteMark = tick.mark;
      one.querySelector(".step-notes").append(line);
    }
  }

  function add(kind, key, body) {
    const tick = { mark: mark(), step: key, kind, time_s: Date.now() / 1000, body, who: root.dataset.who || "" };
    keep([...queue(), tick]);
    refused(key, "");
    local(tick);
    paint();
    send();
    return tick;
  }

  function settle(answer) {
    for (const [key, stands] of Object.entries(answer.steps)) {
      const one = card(key);
      if (one) one.dataset.state = stands.state;
    }
    queue().forEach(local);
  }

  async function send() {
    const ticks = queue();
    if (sending || !ticks.length) return;
    sending = true;
    try {
      const answer = await fetch(`/rigs/${rig}/wireup/ticks`, {
        method: "POST", body: JSON.stringify({ ticks: ticks.slice(0, 200) }),
        headers: { "Content-Type": "application/json", "X-Form-Token": window.volnik.token() },
      });
      const told = await answer.json();
      away = false;
      if (answer.ok) {
        const gone = new Set(told.ticks.map((one) => one.mark));
        keep(queue().filter((one) => !gone.has(one.mark)));
        settle(told);
        for (const one of told.ticks) if (!one.kept) refused(ticks.find((tick) => tick.mark === one.mark).step, `Not kept: ${one.why}`);
        if (ticks.some((one) => one.kind === "choice")) location.reload();
      } else window.volnik.say(told.error || "The ticks were not taken; they stay in this browser.");
    } catch {
      away = true;
    }
    sending = false;
    paint();
  }

  function number(text) {
    const value = Number(text.trim().replace(",", ".").replace("−", "-"));
    return text.trim() && Number.isFinite(value) ? value : null;
  }

  function tick(one) {
    const body = {};
    const { ask } = one.dataset;
    const field = one.querySelector("[data-value]");
    if (ask === "yes_no") {
      const chosen = one.querySelector('[data-answer][aria-pressed="true"]');
      if (!chosen) return refused(one.dataset.step, "Answer yes or no first.");
      body.value = chosen.dataset.answer;
      if ("wantsYes" in one.dataset && body.value !== "yes") return refused(one.dataset.step, `${one.dataset.title}: mend it first; the work goes on once it does.`);
    } else if (ask === "text") {
      if (field.value.trim()) body.value = field.value.trim();
      else if ("must" in one.dataset) return refused(one.dataset.step, "Write it down first.");
    } else if (ask) {
      const value = number(field.value);
      if (value === null && (field.value.trim() || "must" in one.dataset)) {
        field.setAttribute("aria-invalid", "true");
        field.focus();
        return refused(one.dataset.step, field.value.trim() ? `“${field.value}” is not a number.` : "Type what was read; this step rests on it.");
      }
      field.removeAttribute("aria-invalid");
      if (value !== null) body.value = value;
      if (one.dataset.most && value !== null && Math.abs(value) > Number(one.dataset.most)) return refused(one.dataset.step, `${value} is too much: at most ${one.dataset.most} are left when this step is done. Find what still feeds it.`);
    }
    add("done", one.dataset.step, body);
    const next = cards.findIndex((other) => !settled(other));
    if (next >= 0) show(next);
    return undefined;
  }

  async function photo(one, input) {
    const file = input.files && input.files[0];
    if (!file) return;
    const body = new FormData();
    body.append("file", file);
    body.append("step", one.dataset.step);
    body.append("mark", mark());
    try {
      const answer = await window.volnik.post(`/rigs/${rig}/wireup/photos`, body);
      const told = JSON.parse(answer.text);
      if (!answer.ok) return refused(one.dataset.step, told.error || "The photo was not taken.");
      refused(one.dataset.step, "");
      const line = document.createElement("li");
      const picture = document.createElement("img");
      picture.src = `/rigs/${rig}/survey/photos/${told.photo}.jpg?small=1`;
      picture.alt = "Photo at this step";
      picture.width = 96;
      line.append(picture);
      one.querySelector(".step-notes").append(line);
    } catch {
      refused(one.dataset.step, "The link is away and a photo cannot wait in the browser: take it again when the link is back.");
    }
    input.value = "";
    return undefined;
  }

  function timers() {
    for (const one of cards) {
      const holder = one.querySelector(".step-timer");
      if (!holder) continue;
      const began = Number(localStorage.getItem(`volnik-timer-${rig}-${one.dataset.step}`));
      const button = holder.querySelector("button");
      if (!began) continue;
      const left = Math.round(Number(holder.dataset.seconds) - (Date.now() - began) / 1000);
      button.lastChild.textContent = left > 0 ? ` ${Math.floor(left / 60)}:${String(left % 60).padStart(2, "0")} left` : " time is over";
      button.querySelector("span").hidden = true;
      holder.classList.toggle("over", left <= 0);
    }
  }

  root.addEventListener("click", (event) => {
    const on = (selector) => event.target.closest(selector);
    const one = on(".step-card");
    if (on("[data-go]")) {
      show(Number(on("[data-go]").dataset.go) - 1);
      const dialog = document.getElementById("all-steps");
      if (dialog.open) dialog.close();
    } else if (on("[data-turn]")) show(at() + Number(on("[data-turn]").dataset.turn));
    else if (on("[data-all]")) document.getElementById("all-steps").showModal();
    else if (on("[data-close-all]")) document.getElementById("all-steps").close();
    else if (on("[data-school]")) add("choice", "closing", { school: on("[data-school]").dataset.school });
    else if (on("[data-tick]")) tick(one);
    else if (on("[data-undo]")) add("undone", one.dataset.step, {});
    else if (on("[data-timer]")) {
      localStorage.setItem(`volnik-timer-${rig}-${one.dataset.step}`, String(Date.now()));
      timers();
    } else if (on("[data-answer]")) {
      one.querySelectorAll("[data-answer]").forEach((button) => button.setAttribute("aria-pressed", String(button === on("[data-answer]"))));
    } else if (on("[data-keep-note]")) {
      const field = one.querySelector("[data-note]");
      if (field.value.trim()) add("note", one.dataset.step, { text: field.value.trim() });
      field.value = "";
    } else if (on("[data-skip]")) {
      const reason = one.querySelector("[data-reason]").value.trim();
      if (reason.length < 3) refused(one.dataset.step, "Say why it is skipped, in a few words.");
      else if (one.dataset.before) refused(one.dataset.step, `First: ${one.dataset.before}.`);
      else {
        add("skipped", one.dataset.step, { reason });
        show(at() + 1);
      }
    }
  });
  root.addEventListener("change", (event) => {
    if (event.target.matches("[data-photo]")) photo(event.target.closest(".step-card"), event.target);
  });
  root.addEventListener("keydown", (event) => {
    const pip = event.target.closest(".pip");
    if (pip && (event.key === "Enter" || event.key === " ")) {
      event.preventDefault();
      show(Number(pip.dataset.go) - 1);
    } else if (event.target.matches("[data-value]") && event.key === "Enter") tick(event.target.closest(".step-card"));
    else if (!event.target.matches("input") && event.key === "ArrowRight") show(at() + 1);
    else if (!event.target.matches("input") && event.key === "ArrowLeft") show(at() - 1);
  });
  let from = null;
  place.addEventListener("touchstart", (event) => { from = event.touches[0]; }, { passive: true });
  place.addEventListener("touchend", (event) => {
    if (!from || event.target.closest("input, button, summary")) return;
    const moved = event.changedTouches[0];
    const across = moved.clientX - from.clientX;
    if (Math.abs(across) > 60 && Math.abs(across) > 2 * Math.abs(moved.clientY - from.clientY)) show(at() + (across < 0 ? 1 : -1));
    from = null;
  });

  queue().forEach(local);
  paint();
  const last = cards.findIndex((one) => one.dataset.step === sessionStorage.getItem(shown));
  const next = cards.findIndex((one) => !settled(one));
  show(last >= 0 ? last : Math.max(0, next));
  timers();
  setInterval(timers, 1000);
  setInterval(send, 3000);
  window.addEventListener("online", send);
  send();
});
