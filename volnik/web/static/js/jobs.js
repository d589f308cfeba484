// A running job: its bar follows the server until it ends.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("job", () => ({
    percent: "",
    init() {
      this.percent = this.$root.dataset.percent;
      if (this.$refs.bar) this.follow();
    },
    async follow() {
      const answer = await window.volnik.ask(`/jobs/${this.$root.dataset.job}/state`);
      if (answer.ok) {
        const state = JSON.parse(answer.text);
        this.percent = state.percent;
        this.$refs.bar.value = state.percent;
        if (state.finished) return location.reload();
      } else this.percent = "waiting for Volnik, ";
      return setTimeout(() => this.follow(), 350);
    },
  }));
});
