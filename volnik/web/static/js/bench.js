// The control page of a bench rig: every press is sent at once, and the desk is drawn anew each second. It reckons nothing.
"use strict";

(() => {
  const desk = document.getElementById("desk");
  const told = document.getElementById("told");
  let busy = false;
  let held = false;
  window.addEventListener("pointerdown", () => { held = true; });
  window.addEventListener("pointerup", () => setTimeout(() => { held = false; }, 60));

  function put(html) {
    const active = document.activeElement;
    const key = active && (active.dataset.switch ? `[data-switch="${active.dataset.switch}"][data-value="${active.dataset.value}"]` : active.id ? `#${active.id}` : active.dataset.cable ? `[data-cable="${active.dataset.cable}"]` : "");
    desk.innerHTML = html;
    if (key && desk.querySelector(key)) desk.querySelector(key).focus();
  }

  async function set(name, value) {
    busy = true;
    try {
      const answer = await fetch("/switch", { method: "POST", body: new URLSearchParams({ name, value }) });
      const text = await answer.text();
      if (answer.ok) put(text);
      told.textContent = answer.ok ? "" : JSON.parse(text).error;
    } catch {
      told.textContent = "The bench rig does not answer; is its program still running?";
    }
    busy = false;
  }

  desk.addEventListener("click", (event) => {
    const button = event.target.closest("[data-switch]");
    if (button) set(button.dataset.switch, button.dataset.value);
  });
  desk.addEventListener("change", (event) => {
    if (event.target.dataset.range) set(event.target.dataset.range, event.target.value);
    if (event.target.dataset.cable) set(event.target.dataset.cable, event.target.value);
  });

  setInterval(async () => {
    // an open list or a held slider is left alone
    if (busy || held || document.hidden || (document.activeElement && document.activeElement.matches("select, input"))) return;
    try {
      const answer = await fetch("/desk");
      if (answer.ok && !busy && !held) put(await answer.text());
      told.textContent = "";
    } catch {
      told.textContent = "The bench rig does not answer; is its program still running?";
    }
  }, 1000);
})();
