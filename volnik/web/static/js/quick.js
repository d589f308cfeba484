// The quick job: the plan is asked for anew while it is typed, and put beside it.
"use strict";

document.addEventListener("alpine:init", () => {
  const PAUSE_MS = 350; // of the hands, before the server is asked

  window.Alpine.data("quick", () => ({
    asked: 0,
    waiting: 0,
    init() {
      const { zone } = this.$refs;
      if (zone.value === "UTC") zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";
      this.$root.addEventListener("input", (event) => this.typed(event));
      if (this.$root.elements.lines.value || this.$root.elements.label.value) this.refresh();
    },
    typed(event) {
      clearTimeout(this.waiting);
      const pause = event.target.matches("input[type=radio], select") ? 0 : PAUSE_MS;
      this.waiting = setTimeout(() => this.refresh(), pause);
    },
    async refresh() {
      const turn = ++this.asked;
      const answer = await window.volnik.post(this.$root.dataset.draft, new FormData(this.$root));
      if (turn !== this.asked) return;
      if (answer.ok) window.volnik.swap(this.$refs.plan, answer.text);
      else {
        const otherwise = "The plan could not be drawn anew; what you typed is still here.";
        window.volnik.say(window.volnik.refusal(answer, otherwise).error);
      }
    },
  }));
});
