// A running job: its bar follows the server until it ends.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("job", () => ({
    percent: 0,
    init() {
      if (this.$refs.bar) this.follow();
    },
    async follow() {
      const job = this.$root.dataset.job;
      try {
        const answer = await fetch(`/jobs/${job}/state`, { headers: { Accept: "application/json" } });
        const state = await answer.json();
        this.percent = state.percent;
        this.$refs.bar.value = state.percent;
        if (state.finished) return location.reload();
      } catch {
        this.percent = "waiting for Volnik, ";
      }
      return setTimeout(() => this.follow(), 350);
    },
  }));
});
