// The reset map: its cross-hair is dragged here, what it means is asked of the server. Nothing is reckoned
// but where a pointer stands.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("resetmap", () => ({
    turn: 0,
    drag: false,
    moved: false,
    from: null,
    open: "",
    waiting: null,
    at: { v: null, t: null, h: null, b: "", day: "" },
    init() {
      const here = new URLSearchParams(location.search);
      for (const name of ["v", "t", "h", "b", "day"]) if (here.get(name)) this.at[name] = here.get(name);
      this.read();
      const root = this.$root;
      root.addEventListener("pointerdown", (event) => this.grab(event));
      root.addEventListener("click", (event) => this.pressed(event));
      root.addEventListener("keydown", (event) => this.keyed(event));
      root.addEventListener("change", (event) => this.changed(event));
      window.addEventListener("pointermove", (event) => this.move(event));
      window.addEventListener("pointerup", () => this.drop());
      window.addEventListener("pointercancel", () => this.drop());
    },
    map() {
      return this.$root.querySelector(".resetmap");
    },
    scale(name) {
      const { dataset } = this.map();
      const [low, high, from, to] = ["Low", "High", "From", "To"].map((end) => Number(dataset[name + end]));
      return { low, high, from, to, step: Number(dataset[`${name}Step`]) };
    },
    read() {
      const grip = this.$root.querySelector("[data-cross-grip]");
      const text = grip.getAttribute("aria-valuetext").match(/[\d.]+/g);
      this.at.v = Number(text[0]);
      this.at.t = Number(text[1]);
      this.at.h = this.at.h || this.$root.querySelector('[data-hold][aria-pressed="true"]').dataset.hold;
    },
    query() {
      const ask = new URLSearchParams();
      for (const [name, value] of Object.entries(this.at))
        if (value !== "" && value !== null) ask.set(name, value);
      return ask;
    },
    async ask(part) {
      const turn = ++this.turn;
      const query = this.query();
      const answer = await window.volnik.ask(`${this.$root.dataset.base}/${part}?${query}`);
      if (turn !== this.turn) return;
      if (answer.away)
        return window.volnik.say(
          "Volnik does not answer: is it still running? The cross-hair stays where it is.",
        );
      if (!answer.ok) return window.volnik.say("The map could not be read: open it anew.");
      history.replaceState(null, "", `${this.$root.dataset.base}?${query}`);
      window.volnik.swap(
        part === "board" ? this.$refs.page : this.$root.querySelector("[data-at]"),
        answer.text,
      );
      if (this.open) this.school(this.open);
      return undefined;
    },
    // One question at a time while dragging: the newest waits for the answer before it.
    async soon() {
      if (this.waiting) {
        this.again = true;
        return;
      }
      this.waiting = this.ask("at");
      try {
        await this.waiting;
      } finally {
        this.waiting = null;
      }
      if (this.again) {
        this.again = false;
        this.soon();
      }
    },
    put(v, t) {
      const volts = this.scale("v"),
        tails = this.scale("t");
      this.at.v = Number(Math.min(volts.high, Math.max(volts.low, v)).toFixed(2));
      this.at.t = Number(Math.min(tails.high, Math.max(tails.low, t)).toFixed(1));
      const place = (scale, value) =>
        scale.from + ((value - scale.low) / (scale.high - scale.low)) * (scale.to - scale.from);
      const x = place(tails, this.at.t),
        y = place(volts, this.at.v);
      const across = this.$root.querySelector("[data-cross-v]"),
        up = this.$root.querySelector("[data-cross-t]");
      across.setAttribute("y1", y);
      across.setAttribute("y2", y);
      up.setAttribute("x1", x);
      up.setAttribute("x2", x);
      const grip = this.$root.querySelector("[data-cross-grip]");
      grip.setAttribute("transform", `translate(${x} ${y})`);
      grip.setAttribute("aria-valuenow", this.at.v);
      grip.setAttribute("aria-valuetext", `${this.at.v} V, ${this.at.t} percent`);
      this.soon();
    },
    place(event) {
      const svg = this.map();
      const point = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
      const value = (scale, at) =>
        scale.low + ((at - scale.from) / (scale.to - scale.from)) * (scale.high - scale.low);
      this.put(value(this.scale("v"), point.y), value(this.scale("t"), point.x));
    },
    grab(event) {
      if (!event.target.closest(".resetmap")) return;
      this.moved = false;
      // A school may lie under the cross-hair: pressed it tells its reason, pulled it moves the cross-hair.
      this.from = event.target.closest("[data-school]") ? { x: event.clientX, y: event.clientY } : null;
      if (this.from) return;
      event.preventDefault();
      this.drag = true;
      this.$root.querySelector("[data-cross-grip]").focus();
      this.place(event);
    },
    move(event) {
      if (this.from && Math.hypot(event.clientX - this.from.x, event.clientY - this.from.y) > 6) {
        this.from = null;
        this.drag = this.moved = true;
      }
      if (this.drag) this.place(event);
    },
    drop() {
      this.drag = false;
      this.from = null;
    },
    pressed(event) {
      const on = (selector) => event.target.closest(selector);
      if (on("[data-hold]")) {
        this.at.h = on("[data-hold]").dataset.hold;
        this.ask("board");
      } else if (on("[data-go]")) {
        const [v, t, h] = on("[data-go]").dataset.go.split(",").map(Number);
        Object.assign(this.at, { v, t, h });
        this.open = "";
        this.ask("board");
      } else if (on("[data-compare]")) {
        this.at.b = on("[data-compare]").dataset.compare;
        this.ask("at");
      } else if (on("[data-school]") && !this.moved) this.school(on("[data-school]").dataset.school);
      else if (on("[data-close]")) this.school("");
    },
    school(key) {
      this.open = key;
      for (const slip of this.$root.querySelectorAll("[data-school-slip]"))
        slip.hidden = slip.dataset.schoolSlip !== key;
      const open = this.$root.querySelector("[data-school-slip]:not([hidden]) button");
      if (open) open.focus();
    },
    changed(event) {
      if (event.target.matches("[data-b]")) {
        this.at.b = event.target.value;
        this.ask("at");
      }
      if (event.target.matches("[data-day]")) {
        this.at.day = event.target.value;
        this.ask("at");
      }
    },
    keyed(event) {
      if (event.key === "Escape") return this.school("");
      const school = event.target.closest("[data-school]");
      if (school && (event.key === "Enter" || event.key === " ")) {
        event.preventDefault();
        return this.school(school.dataset.school);
      }
      const ways = { ArrowUp: [1, 0], ArrowDown: [-1, 0], ArrowRight: [0, 1], ArrowLeft: [0, -1] };
      if (!event.target.closest("[data-cross-grip]") || !(event.key in ways)) return undefined;
      event.preventDefault();
      const [up, right] = ways[event.key];
      return this.put(this.at.v + up * this.scale("v").step, this.at.t + right * this.scale("t").step);
    },
  }));
});
