// Forms that may wait for the link: where Volnik does not answer, what was typed is kept in this browser
// with its mark and the time it was typed, and sent once the link is back. The mark keeps it from being
// kept twice.
"use strict";

(() => {
  const { createStore, get, update } = window.idbKeyval;
  const store = createStore("volnik-forms", "waiting");
  const EVERY_MS = 15_000;
  let sending = false;

  const kept = async () => (await get("forms", store).catch(() => null)) || [];
  const change = (how) => update("forms", (forms) => how(forms || []), store);
  const newMark = () =>
    Array.from(crypto.getRandomValues(new Uint32Array(3)), (part) => part.toString(36)).join("");

  // The line that says what waits; none while nothing does.
  function show(forms) {
    let line = document.getElementById("waiting-forms");
    if (!forms.length) {
      if (line) line.remove();
      return;
    }
    if (!line) {
      line = document.createElement("p");
      line.id = "waiting-forms";
      line.className = "waiting-forms";
      line.setAttribute("role", "status");
      document.querySelector("main").prepend(line);
    }
    const said = forms.length === 1 ? "1 measurement waits" : `${forms.length} measurements wait`;
    line.textContent = `${said} in this browser for the link to Volnik; go on measuring.`;
  }

  function formOf(held) {
    const form = new FormData();
    for (const [name, value] of held.fields) form.append(name, value);
    form.set("_token", window.volnik.token());
    form.set("mark", held.mark);
    form.set("age_s", Math.max(0, (Date.now() - held.typed_ms) / 1000).toFixed(0));
    return form;
  }

  function refusalOf(text) {
    const page = new DOMParser().parseFromString(text, "text/html");
    const problem = page.querySelector("main .problem, main [role=alert]");
    return problem ? problem.textContent.trim() : "It was not taken.";
  }

  // Sends what waits, oldest first; what is refused is told with what was typed, and waits no longer.
  async function send() {
    if (sending) return;
    sending = true;
    let taken = 0;
    for (const held of await kept()) {
      const answer = await window.volnik.post(held.address, formOf(held));
      const refused = [404, 410, 422].includes(answer.status);
      if (!answer.ok && !refused) break; // away, signed out, not well: it waits on
      await change((forms) => forms.filter((form) => form.mark !== held.mark));
      if (answer.ok) taken += 1;
      else window.volnik.say(`${held.told} Not kept: ${refusalOf(answer.text)}`);
    }
    sending = false;
    const left = await kept();
    show(left);
    if (taken && !left.length && document.querySelector("form[data-waits]")) location.reload();
  }

  async function hold(form, held) {
    try {
      await change((forms) => [...forms, held]);
    } catch {
      window.volnik.say(`The link is away and this browser keeps nothing: note it down. ${held.told}`);
      return;
    }
    show(await kept());
    form.dispatchEvent(new CustomEvent("held", { bubbles: true }));
  }

  document.addEventListener("submit", async (event) => {
    const form = event.target.closest("form[data-waits]");
    if (!form || event.defaultPrevented) return;
    event.preventDefault();
    const fields = [...new FormData(form)].filter(([, value]) => typeof value === "string");
    const figures = fields.filter(([name, value]) => value && !["_token", "corrects"].includes(name));
    const told = `${figures.map(([name, value]) => `${name} ${value}`).join(", ")}.`;
    const held = { address: form.action, fields, mark: newMark(), typed_ms: Date.now(), told };
    const answer = await window.volnik.ask("/api/health");
    if (answer.away) await hold(form, held);
    else form.submit(); // as without this script
  });

  document.addEventListener("DOMContentLoaded", async () => {
    show(await kept());
    send();
  });
  window.addEventListener("online", send);
  setInterval(async () => {
    if ((await kept()).length) send();
  }, EVERY_MS);
})();
