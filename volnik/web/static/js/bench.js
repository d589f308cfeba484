// The control page of a bench rig: every press is sent at once, the desk is drawn anew each second.
// It reckons nothing.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("bench", () => ({
    told: "",
    busy: false,
    held: false, // an open list or a held slider is left alone
    init() {
      window.addEventListener("pointerdown", () => {
        this.held = true;
      });
      window.addEventListener("pointerup", () =>
        setTimeout(() => {
          this.held = false;
        }, 60),
      );
      this.$refs.desk.addEventListener("click", (event) => {
        const button = event.target.closest("[data-switch]");
        if (button) this.set(button.dataset.switch, button.dataset.value);
      });
      this.$refs.desk.addEventListener("change", (event) => {
        const name = event.target.dataset.range || event.target.dataset.cable;
        if (name) this.set(name, event.target.value);
      });
      setInterval(() => this.refresh(), 1000);
    },
    put(answer) {
      if (answer.ok) window.volnik.swap(this.$refs.desk, answer.text);
      this.told = answer.ok ? "" : window.volnik.refusal(answer, "The bench rig did not take that.").error;
      if (answer.away) this.told = "The bench rig does not answer; is its program still running?";
    },
    async set(name, value) {
      this.busy = true;
      this.put(
        await window.volnik.fetch("/switch", { method: "POST", body: new URLSearchParams({ name, value }) }),
      );
      this.busy = false;
    },
    async refresh() {
      const active = document.activeElement;
      if (this.busy || this.held || document.hidden || (active && active.matches("select, input"))) return;
      const answer = await window.volnik.ask("/desk");
      if (!this.busy && !this.held) this.put(answer);
    },
  }));
});
