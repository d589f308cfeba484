// A board: a drawing whose values are changed where they are drawn. Every change asks the server for the
// board anew; nothing is reckoned here but where a pointer stands on a scale.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("board", () => ({
    asked: 0,
    drag: null,
    open: null,
    init() {
      const board = this.$refs.board;
      this.$root.addEventListener("change", (event) => this.changed(event));
      board.addEventListener("click", (event) => this.pressed(event));
      board.addEventListener("keydown", (event) => this.keyed(event));
      board.addEventListener("pointerdown", (event) => this.grab(event));
      window.volnik.heldByFinger(board, "[data-grip]");
      window.addEventListener("pointermove", (event) => this.move(event));
      window.addEventListener("pointerup", (event) => this.drop(event));
      window.addEventListener("beforeprint", () => this.show(null));
      const wrong = board.querySelector("[aria-invalid]");
      if (wrong) wrong.focus();
      const early = [...this.$root.elements].find((field) => this.isChosen(field));
      if (early) this.refresh(early.name); // chosen before this script was ready to hear of it
    },
    isChosen(field) {
      if (!field.matches("select")) return false;
      const said = [...field.options].find((option) => option.defaultSelected);
      return said !== undefined && !said.selected;
    },
    field(name) {
      return this.$root.elements.namedItem(name);
    },
    changed(event) {
      const shown = this.$root.querySelector(`[data-shown-for]`);
      if (event.target.name === "holds" && shown)
        shown.hidden = event.target.value !== shown.dataset.shownFor;
      if (["reason", "holds", "holds_date"].includes(event.target.name)) return;
      this.refresh(event.target.name);
    },
    async refresh(name) {
      const turn = ++this.asked;
      const answer = await window.volnik.post(this.$root.dataset.draft, new FormData(this.$root));
      if (turn !== this.asked) return;
      if (!answer.ok) {
        const otherwise = "The board could not be drawn anew; what you typed is still here.";
        window.volnik.say(window.volnik.refusal(answer, otherwise).error);
        return;
      }
      window.volnik.swap(this.$refs.board, answer.text);
      if (this.open) this.show(this.open, document.activeElement === this.field(this.open));
      const wrong = this.$refs.board.querySelector("[aria-invalid]");
      if (wrong && wrong.name === name) wrong.focus();
    },
    show(name, focus) {
      if (!name && this.open) this.back(this.open);
      this.open = name;
      for (const slip of this.$refs.board.querySelectorAll("[data-slip]")) {
        slip.hidden = slip.dataset.slip !== name && !slip.querySelector("[aria-invalid]");
      }
      if (name && focus !== false) {
        const field = this.field(name);
        field.focus();
        if (field.select) field.select();
      }
    },
    // Closed, a slip leaves the focus on what opened it.
    back(name) {
      const openers = [...this.$refs.board.querySelectorAll(`[data-open="${CSS.escape(name)}"]`)];
      const opener = openers.find((each) => each.getBoundingClientRect().width > 0);
      if (
        opener &&
        this.$refs.board.querySelector(`[data-slip="${CSS.escape(name)}"]`)?.contains(document.activeElement)
      )
        opener.focus();
    },
    set(name, value) {
      this.field(name).value = value;
      this.refresh(name);
    },
    certain(said) {
      this.field("sure").value += ` ${said}`;
      this.refresh(said.split("=")[0]);
    },
    pressed(event) {
      const on = (selector) => event.target.closest(selector);
      if (on("[data-open]")) this.show(on("[data-open]").dataset.open);
      else if (on("[data-close]")) this.show(null);
      else if (on("[data-sure]")) this.certain(on("[data-sure]").dataset.sure);
      else if (on("[data-use]")) this.set(on("[data-use]").dataset.use, on("[data-use]").dataset.value);
      else if (on("[data-step-up]")) this.step(on("[data-step-up]").dataset.stepUp, 1);
      else if (on("[data-step-down]")) this.step(on("[data-step-down]").dataset.stepDown, -1);
      else if (on("[data-mend]")) this.mend(JSON.parse(on("[data-mend]").dataset.mend));
    },
    step(name, by) {
      this.set(name, Math.max(1, (parseInt(this.field(name).value, 10) || 1) + by));
    },
    mend(values) {
      for (const [name, value] of Object.entries(values)) this.field(name).value = value;
      this.refresh(Object.keys(values)[0]);
    },
    keyed(event) {
      if (event.key === "Escape") return this.show(null);
      const tag = event.target.closest("[data-open]");
      if (tag && (event.key === "Enter" || event.key === " ")) {
        event.preventDefault();
        return this.show(tag.dataset.open);
      }
      // Enter takes a value; what keeps the whole board is its button alone.
      if (event.key === "Enter" && event.target.matches("input")) {
        event.preventDefault();
        return this.refresh(event.target.name);
      }
      const grip = event.target.closest("[data-grip]");
      const ways = { ArrowUp: 1, ArrowRight: 1, ArrowDown: -1, ArrowLeft: -1, PageUp: 10, PageDown: -10 };
      if (!grip || !(event.key in ways)) return undefined;
      event.preventDefault();
      const step = Number(grip.dataset.step) * ways[event.key];
      return this.set(
        grip.dataset.grip,
        this.kept(grip, Number(this.field(grip.dataset.grip).value.replace(",", ".")) + step),
      );
    },
    kept(grip, value) {
      const within = Math.min(Number(grip.dataset.high), Math.max(Number(grip.dataset.low), value));
      return within.toFixed(Number(grip.dataset.decimals));
    },
    grab(event) {
      const grip = event.target.closest("[data-grip]");
      if (!grip) return;
      event.preventDefault();
      this.drag = grip;
      grip.focus();
    },
    point(event) {
      const svg = this.drag.ownerSVGElement;
      return new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
    },
    place(event) {
      const point = this.point(event);
      const { axis, from, to, low, high, step } = this.drag.dataset;
      const share = ((axis === "y" ? point.y : point.x) - Number(from)) / (Number(to) - Number(from));
      const value = Number(low) + share * (Number(high) - Number(low));
      return this.kept(this.drag, Math.round(value / Number(step)) * Number(step));
    },
    move(event) {
      if (!this.drag || !this.drag.isConnected) return;
      const point = this.point(event);
      const was = this.drag.transform.baseVal.getItem(0).matrix;
      const upright = this.drag.dataset.axis === "y";
      this.drag.setAttribute(
        "transform",
        upright ? `translate(${was.e} ${point.y})` : `translate(${point.x} ${was.f})`,
      );
    },
    drop(event) {
      if (!this.drag) return;
      const grip = this.drag;
      const value = grip.isConnected ? this.place(event) : null;
      this.drag = null;
      if (value !== null) this.set(grip.dataset.grip, value);
    },
  }));
});
