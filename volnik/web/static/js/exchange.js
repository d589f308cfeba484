// Talking with the server: one way to ask, one way to post, one place to say what went wrong. Nothing else fetches.
"use strict";

window.volnik = {
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
  post(address, body) {
    const isForm = body instanceof FormData;
    const headers = {
      "X-Form-Token": this.token(),
      ...(isForm ? {} : { "Content-Type": "application/json" }),
    };
    return this.fetch(address, { method: "POST", headers, body: isForm ? body : JSON.stringify(body) });
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
