// The roll call: presses are sent, and the desk is drawn anew while readings come in.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("prove", () => ({
    rig: "",
    busy: false,
    held: false, // a press under way: nothing is moved from under a thumb
    last: 0,
    init() {
      this.rig = this.$root.dataset.rig;
      window.addEventListener("pointerdown", () => {
        this.held = true;
      });
      window.addEventListener("pointerup", () =>
        setTimeout(() => {
          this.held = false;
        }, 60),
      );
      window.addEventListener("pointercancel", () => {
        this.held = false;
      });
      this.$store.live.listen(this.rig, () => this.refresh());
    },
    put(text) {
      window.volnik.swap(this.$refs.desk, text);
    },
    async send(body) {
      this.busy = true;
      const form = new FormData();
      for (const [name, value] of Object.entries(body)) form.append(name, value);
      const answer = await window.volnik.post(`/rigs/${this.rig}/prove/call`, form);
      if (answer.ok || answer.status === 422) this.put(answer.text);
      else if (answer.away) window.volnik.say("The link to Volnik is away; press again when it is back.");
      else window.volnik.say("That was not taken; try again.");
      this.busy = false;
    },
    async refresh() {
      if (this.busy || this.held || document.hidden || performance.now() - this.last < 800) return;
      if (document.activeElement && document.activeElement.matches("select")) return; // an open list is left alone
      this.busy = true;
      this.last = performance.now();
      const answer = await window.volnik.ask(`/rigs/${this.rig}/prove/desk`); // where it is away, the live line says so
      if (answer.ok && !this.held) this.put(answer.text);
      this.busy = false;
    },
    call(event) {
      return this.send({ what: "call", device: event.currentTarget.dataset.call, clamp: "" });
    },
    callAgain(event) {
      return this.send({
        what: "call",
        device: event.currentTarget.dataset.call,
        clamp: this.$refs.clamp.value,
      });
    },
    press(event) {
      return this.pressed(event.currentTarget.dataset.press);
    },
    pressOff() {
      return this.pressed("off");
    },
    pressed(what) {
      const { display } = this.$refs;
      return this.send({ what, display: display && display.isConnected ? display.value : "" });
    },
    // The fresh reading of a column, into the field that asks for it.
    take(event) {
      const { take, column } = event.currentTarget.dataset;
      const value = this.$store.live.value(column);
      if (value === null) window.volnik.say("No fresh reading now: type what the monitor shows.");
      else document.getElementById(take).value = value;
    },
  }));
});
