// The roll call: presses are sent, and the desk is drawn anew while readings come in.
"use strict";

document.addEventListener("alpine:init", () => {
  // One keypad for what the display shows: it writes into the field last touched.
  window.Alpine.data("keypad", () => ({
    field: null,
    init() {
      this.field = this.$root.querySelector('[name="with"]');
      if (matchMedia("(pointer: fine)").matches) this.field.focus();
    },
    chosen(event) {
      this.field = event.target;
    },
    put(event) {
      const { key } = event.currentTarget.dataset;
      const { value } = this.field;
      if (key === "−") this.write(value.startsWith("−") ? value.slice(1) : `−${value}`);
      else this.write(value + key);
    },
    rub() {
      this.write(this.field.value.slice(0, -1));
    },
    // Kept in this browser: the next device is asked for without the server.
    goOn() {
      const others = [...this.$root.querySelectorAll("[data-device]")];
      const at = others.findIndex((link) => link.dataset.device === this.$refs.device.value);
      const next = others[(at + 1) % others.length];
      this.$refs.device.value = next.dataset.device;
      this.$refs.name.textContent = next.textContent;
      for (const box of this.$root.querySelectorAll('input:not([type="hidden"]):not([name="before"])'))
        box.value = "";
      this.field.focus();
    },
    write(value) {
      this.field.value = value;
      this.field.dispatchEvent(new Event("input", { bubbles: true }));
    },
  }));

  // Amps out of the battery or into it: turned by a press where a keyboard has no minus.
  window.Alpine.data("way", () => ({
    text: "",
    init() {
      this.typed();
    },
    get box() {
      return this.$root.querySelector("input");
    },
    typed() {
      this.text = this.box.value.trim();
    },
    get out() {
      return /^[-−]/.test(this.text);
    },
    get label() {
      return this.out ? "out of the battery" : "into the battery";
    },
    turn() {
      this.box.value = this.out ? this.text.slice(1) : `−${this.text}`;
      this.typed();
    },
  }));

  window.Alpine.data("prove", () => ({
    rig: "",
    busy: false,
    held: false, // a press under way: nothing is moved from under a thumb
    last: 0,
    ear: false, // whether results are said aloud and the next device is called by itself
    said: "", // what was said last
    heard: "", // the result that was heard, and after which the next device is to be called
    init() {
      this.rig = this.$root.dataset.rig;
      this.ear = localStorage.getItem("volnik-ear") === "yes";
      // what stood there before this page was opened is old news, unless it was typed on it
      this.said = sessionStorage.getItem(`volnik-said-${this.rig}`) ?? this.guide().said;
      this.speak();
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
      this.speak();
    },
    guide() {
      return this.$refs.desk.querySelector("[data-said]").dataset;
    },
    listenTo(event) {
      this.ear = event.target.checked;
      localStorage.setItem("volnik-ear", this.ear ? "yes" : "");
      this.said = "";
      this.speak();
    },
    // Says what is new; after a result the next device that nobody measured yet is called.
    async speak() {
      const { said, words, tone } = this.guide();
      if (said !== this.said) {
        this.said = said;
        sessionStorage.setItem(`volnik-said-${this.rig}`, said);
        if (!this.ear || !words) return;
        await window.volnik.aloud(words, tone);
        if (tone) this.heard = said;
      }
      this.goOn();
    },
    // Where no reading is fresh just now, the next device waits for one.
    goOn() {
      const { said, next } = this.guide();
      if (!this.ear || !next || !said || said !== this.heard || !this.$store.live.fresh) return;
      this.heard = "";
      this.send({ what: "call", device: next, clamp: "" }).then((taken) => {
        if (!taken) this.heard = said; // the readings stopped just then: tried again once they are back
      });
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
      return answer.ok;
    },
    async refresh() {
      if (this.busy || this.held || document.hidden || performance.now() - this.last < 800) return;
      // An open list is left alone.
      if (document.activeElement && document.activeElement.matches("select")) return;
      this.busy = true;
      this.last = performance.now();
      // Where it is away, the live line says so.
      const answer = await window.volnik.ask(`/rigs/${this.rig}/prove/desk`);
      // While something typed waits for the link, an answer that was under way moves nothing from under the
      // hand.
      const waits = document.getElementById("waiting-forms");
      if (answer.ok && !this.held && !waits) this.put(answer.text);
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
