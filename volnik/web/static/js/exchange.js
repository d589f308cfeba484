// Talking with the server: one way to ask, one way to post, one place to say what went wrong.
// Nothing else fetches.
"use strict";

window.volnik = {
  page: Array.from(crypto.getRandomValues(new Uint32Array(2)), (part) => part.toString(36)).join(""),
  asking: 0, // questions under way; the page is at rest at 0, and shows a bar where one takes long

  token() {
    return document.querySelector('meta[name="form-token"]').content;
  },

  // Answers {ok, status, text, away}; never throws: where nobody answers, `away` says so.
  async fetch(address, options) {
    this.count(1);
    try {
      const answer = await fetch(address, options);
      return { ok: answer.ok, status: answer.status, text: await answer.text(), away: false };
    } catch {
      return { ok: false, status: 0, text: "", away: true };
    } finally {
      this.count(-1);
    }
  },
  count(more) {
    this.asking += more;
    document.documentElement.toggleAttribute("data-asking", this.asking > 0);
  },

  ask(address) {
    return this.fetch(address, { headers: { Accept: "text/html, application/json" } });
  },

  // A form's fields, or plain values as JSON; a refusal comes back as JSON with "error" and "problems".
  async post(address, body, more = {}) {
    const isForm = body instanceof FormData;
    const headers = {
      "X-Form-Token": this.token(),
      "X-Page": this.page,
      ...(isForm ? {} : { "Content-Type": "application/json" }),
      ...more,
    };
    const sent = { method: "POST", headers, body: isForm ? body : JSON.stringify(body) };
    const answer = await this.fetch(address, sent);
    return answer.status === 409 ? this.changedMeanwhile(answer, address, body) : answer;
  },

  // What stands was changed since this page was made: both are shown, and the hand chooses.
  async changedMeanwhile(answer, address, body) {
    const { meanwhile, seen } = JSON.parse(answer.text);
    if (!meanwhile) return answer;
    const chosen = await this.choose(meanwhile);
    if (!chosen) {
      location.reload();
      return answer;
    }
    if (body instanceof FormData) for (const [name, value] of chosen) body.set(name, value);
    return this.post(address, body, { "X-Seen": String(seen) });
  },

  // The fields as chosen, or null where what stands is left alone.
  choose(html) {
    const dialog = document.getElementById("meanwhile");
    window.volnik.swap(dialog.querySelector("[data-both]"), html);
    dialog.showModal();
    return new Promise((settle) => {
      const settled = () =>
        settle(dialog.returnValue === "mine" ? [...new FormData(dialog.querySelector("form"))] : null);
      dialog.addEventListener("close", settled, { once: true });
    });
  },

  // What a refusal says: a sentence, and what is wrong by field.
  refusal(answer, otherwise) {
    if (answer.away) return { error: "Volnik does not answer: is it still running?", problems: {} };
    try {
      const { error, problems } = JSON.parse(answer.text);
      return { error: error || otherwise, problems: problems || {} };
    } catch {
      return { error: otherwise, problems: {} };
    }
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
