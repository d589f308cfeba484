// The path board: cable ends dragged from stud to stud, by pointer, touch or keys. Every change goes to the
// server, which solves the network and draws the board anew; nothing is reckoned here but which stud a
// pointer is over.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("path", () => ({
    asked: 0,
    drag: null,
    aimed: null,
    zoom: 0,
    whole: false,
    entered: null, // the row whose cables are tab stops too
    init() {
      const board = this.$refs.board;
      board.addEventListener("click", (event) => this.pressed(event));
      board.addEventListener("change", (event) => this.chosen(event));
      board.addEventListener("submit", (event) => this.typed(event));
      board.addEventListener("keydown", (event) => this.keyed(event));
      board.addEventListener("pointerdown", (event) => this.grab(event));
      window.volnik.heldByFinger(board, ".end");
      window.addEventListener("pointermove", (event) => this.move(event));
      window.addEventListener("pointerup", (event) => this.drop(event));
      window.addEventListener("pointercancel", () => this.letGo());
      document.addEventListener("keydown", (event) => this.undoKey(event));
      board.addEventListener("focusin", (event) => this.leftRow(event.target));
      this.stops();
    },
    // One tab stop a row: a device with its cables, a battery, a bar, a cable of none of them.
    rowOf(item) {
      const { cable, pick, block, show } = item.dataset;
      if (cable === undefined) return pick || block || show || "";
      const owner = cable.replace(/_(minus|plus|far)$/, "");
      return this.svg().querySelector(`[data-pick="${CSS.escape(owner)}"]`) ? owner : cable;
    },
    heads() {
      const found = new Map();
      const items = [...this.svg().querySelectorAll("[tabindex]")];
      for (const item of items.filter((each) => !each.matches(".end"))) found.set(this.rowOf(item), item);
      for (const item of items) if (!found.has(this.rowOf(item))) found.set(this.rowOf(item), item);
      return found;
    },
    stops() {
      if (!this.svg()) return;
      const heads = new Set(this.heads().values());
      for (const item of this.svg().querySelectorAll("[tabindex]"))
        item.setAttribute("tabindex", heads.has(item) || this.rowOf(item) === this.entered ? "0" : "-1");
    },
    leftRow(target) {
      const row = target.closest("svg") ? this.rowOf(target.closest("[tabindex]")) : null;
      if (this.entered === null || row === this.entered) return;
      this.entered = null;
      this.stops();
    },
    // Arrow right goes on to a device's cables, up and down to the next row, a letter to the next name that
    // begins so.
    rowKey(event, item) {
      const heads = [...this.heads().values()];
      const at = heads.indexOf(item);
      const row = this.rowOf(item);
      const own = [...this.svg().querySelectorAll(".end")].filter((end) => this.rowOf(end) === row);
      let next = null;
      if (event.key === "ArrowRight" && own.length) {
        this.entered = row;
        this.stops();
        [next] = own;
      } else if (event.key === "ArrowDown" || event.key === "ArrowUp")
        next = heads[at + (event.key === "ArrowDown" ? 1 : -1)];
      else if (/^[a-z]$/i.test(event.key) && !event.ctrlKey && !event.metaKey && event.key !== "g") {
        const begins = (each) =>
          (each.getAttribute("aria-label") || "").toLowerCase().startsWith(event.key.toLowerCase());
        next = [...heads.slice(at + 1), ...heads.slice(0, at)].find(begins);
      }
      if (!next) return false;
      event.preventDefault();
      event.stopPropagation();
      next.focus();
      return true;
    },
    state() {
      return this.$refs.board.querySelector(".board-state").dataset;
    },
    svg() {
      return this.$refs.board.querySelector(".path-board");
    },
    form(extra) {
      const { seen, drawing, pick, case: chosen, show, positives } = this.state();
      const form = new FormData();
      const shown = { _seen: seen, drawing, pick, case: chosen, show, positives };
      const all = { ...shown, page: this.$root.dataset.page, ...extra };
      for (const [name, value] of Object.entries(all)) form.set(name, value);
      return form;
    },
    async look(changes) {
      const query = new URLSearchParams(this.form(changes));
      const turn = ++this.asked;
      const answer = await window.volnik.ask(
        `${this.$root.dataset.look || `${this.$root.dataset.base}/board`}?${query}`,
      );
      if (turn === this.asked) this.put(answer);
    },
    async send(address, extra) {
      const turn = ++this.asked;
      this.$root.classList.add("waiting");
      const answer = await window.volnik.post(`${this.$root.dataset.base}/${address}`, this.form(extra));
      this.$root.classList.remove("waiting");
      if (turn === this.asked) this.put(answer);
      return answer.ok;
    },
    change(ops, extra) {
      return this.send("change", { ops: JSON.stringify(ops), ...extra });
    },
    put(answer) {
      if (!answer.ok) return this.refused(answer);
      const board = this.$refs.board;
      const shown = this.state().show;
      window.volnik.swap(board, answer.text);
      const head = board.querySelector(".head-now");
      // Beads follow the record.
      if (head) window.volnik.swap(document.querySelector(".rig-head"), head.innerHTML);
      if (board.querySelector(".board-paper")) this.scale();
      this.stops();
      const slip = board.querySelector("[data-slip]");
      if (slip && window.innerWidth < 1000 && this.state().show !== shown)
        slip.scrollIntoView({ block: "start" });
      return undefined;
    },
    refused(answer) {
      const { error, problems } = window.volnik.refusal(
        answer,
        "That could not be done; nothing was changed.",
      );
      const slip = this.$refs.board.querySelector("[data-slip]");
      for (const field of this.$refs.board.querySelectorAll("[aria-invalid]"))
        field.removeAttribute("aria-invalid");
      for (const [name, sentence] of Object.entries(problems)) {
        const field =
          slip && slip.querySelector(`[name="${CSS.escape(name.replace(/^[a-z_]+\.(?=fuse|mount)/, ""))}"]`);
        if (!field) continue;
        field.setAttribute("aria-invalid", "true");
        field.title = sentence;
        field.focus();
      }
      const place = slip && slip.querySelector("[data-problem]");
      if (place && Object.keys(problems).length) {
        place.textContent = error;
        place.hidden = false;
      } else window.volnik.say(error);
    },
    pressed(event) {
      const on = (selector) => event.target.closest(selector);
      const data = (selector) => on(selector).dataset;
      if (on(".end")) return undefined; // handled when the pointer is let go
      if (on("button[data-drawing]"))
        return this.look({ drawing: data("button[data-drawing]").drawing, show: "" });
      if (on("[data-step]")) return this.send("step", { way: data("[data-step]").step });
      if (on("[data-zoom]")) return this.zoomed(Number(data("[data-zoom]").zoom));
      if (on("[data-print]")) return window.print();
      if (on("[data-finding]"))
        return this.send("mend", { finding: data("[data-finding]").finding, at: data("[data-finding]").at });
      if (on("[data-take-mends]")) {
        const rows = this.$refs.board.querySelectorAll("[data-mend-row]:checked");
        const ops = [...rows].flatMap((row) => JSON.parse(row.dataset.mendRow));
        return ops.length ? this.change(ops, { show: "" }) : this.look({ show: "" });
      }
      if (on("[data-use-choice]")) return this.send("use", { what: data("[data-use-choice]").useChoice });
      if (on("button[data-positives]"))
        return this.look({ positives: this.state().positives === "1" ? "0" : "1" });
      if (on("button[data-case]")) return this.look({ case: data("button[data-case]").case });
      if (on("[data-ops]")) {
        const asked = data("[data-ops]");
        return this.change([JSON.parse(asked.ops)], "then" in asked ? { show: asked.then } : {});
      }
      if (on("[data-pick]")) {
        const pick = data("[data-pick]").pick;
        const off = pick === this.state().pick || !pick;
        return this.look({ pick: off ? "" : pick, show: off ? "" : `device:${pick}` });
      }
      if (on("[data-block]")) return this.look({ show: `block:${data("[data-block]").block}` });
      if (on("[data-show]")) return this.look({ show: data("[data-show]").show });
      return undefined;
    },
    chosen(event) {
      const at = event.target;
      if (at.dataset.land)
        this.change([{ op: "move_end", cable: at.dataset.land, end: at.dataset.landEnd, to: at.value }]);
      else if (at.dataset.bare)
        this.change([
          { op: "add_cable", a: `${at.dataset.bare}.minus`, b: at.value, id: `${at.dataset.bare}_minus` },
        ]);
      else if ("shunt" in at.dataset) this.change([{ op: "set_shunt", shunt: JSON.parse(at.value) }]);
    },
    typed(event) {
      const form = event.target.closest("[data-form]");
      if (!form) return;
      event.preventDefault();
      const op = JSON.parse(form.dataset.form);
      for (const field of form.querySelectorAll("[name]")) {
        let value = field.value.trim();
        if ("truth" in field.dataset) value = field.checked;
        else if (field.dataset.number) {
          const number = Number(value.replace(",", "."));
          value =
            value === ""
              ? null
              : Number.isNaN(number)
                ? value
                : Number((number * Number(field.dataset.number)).toPrecision(12)) -
                  ("minusOne" in field.dataset ? 1 : 0);
        }
        const [outer, inner] = field.name.split(".");
        if (inner) op[outer] = { ...(op[outer] || {}), [inner]: value };
        else op[outer] = value;
      }
      if (form.dataset.none) {
        const [path, whole] = form.dataset.none.split(":");
        const [outer, inner] = path.split(".");
        if (op[outer][inner] === null) op[whole] = null;
      }
      this.change([op]);
    },
    // Cable ends
    editable() {
      return this.$refs.board.querySelector(".board-paper").dataset.editable === "1";
    },
    choosing(end) {
      const pole = end.dataset.pole;
      const own = end.dataset.cable;
      this.svg().classList.add("choosing");
      return [...this.svg().querySelectorAll(".target")].filter((target) => {
        const possible =
          (pole === "thin" || target.dataset.pole === pole) &&
          !(
            target.dataset.stud.split(".")[0] === own.replace(/_(minus|plus|far)$/, "") &&
            own !== target.dataset.stud
          );
        target.classList.toggle("possible", possible);
        return possible;
      });
    },
    aim(target) {
      for (const target of this.svg().querySelectorAll(".aimed")) target.classList.remove("aimed");
      this.aimed = target;
      if (!target) return;
      target.classList.add("aimed");
      let live = document.getElementById("aimed-at");
      if (!live) {
        live = document.createElement("p");
        live.id = "aimed-at";
        live.className = "visually-hidden";
        live.setAttribute("role", "status");
        document.body.append(live);
      }
      live.textContent = target.dataset.name;
    },
    point(event) {
      return new DOMPoint(event.clientX, event.clientY).matrixTransform(this.svg().getScreenCTM().inverse());
    },
    // Ends lie close together on a crowded post: the nearest is meant, not the one on top.
    nearest(at) {
      let [best, least] = [null, Infinity];
      for (const end of this.svg().querySelectorAll(".end")) {
        const place = end.transform.baseVal.getItem(0).matrix;
        const away = Math.hypot(place.e - at.x, place.f - at.y);
        if (away < least) [best, least] = [end, away];
      }
      return best;
    },
    grab(event) {
      if (!event.target.closest(".end") || event.button > 0) return;
      const end = this.nearest(this.point(event));
      event.preventDefault();
      end.focus({ preventScroll: true });
      this.drag = {
        end,
        moved: false,
        x: event.clientX,
        y: event.clientY,
        targets: this.editable() ? this.choosing(end) : [],
      };
    },
    move(event) {
      if (!this.drag || !this.editable()) return;
      if (!this.drag.moved && Math.hypot(event.clientX - this.drag.x, event.clientY - this.drag.y) < 5)
        return;
      this.drag.moved = true;
      const at = this.point(event);
      const from = this.drag.end.transform.baseVal.getItem(0).matrix;
      let rubber = this.svg().querySelector(".rubber");
      if (!rubber) {
        rubber = document.createElementNS("http://www.w3.org/2000/svg", "path");
        rubber.setAttribute("class", "rubber");
        this.svg().append(rubber);
      }
      rubber.setAttribute("d", `M${from.e} ${from.f}L${at.x} ${at.y}`);
      this.drag.end.classList.add("held");
      let best = null;
      let nearest = 30;
      for (const target of this.drag.targets) {
        const box = target.getBBox();
        const away = Math.hypot(
          Math.max(box.x - at.x, 0, at.x - box.x - box.width),
          Math.max(box.y - at.y, 0, at.y - box.y - box.height),
        );
        if (away < nearest || (away === 0 && best && box.height < best.getBBox().height))
          [best, nearest] = [target, away];
      }
      this.aim(best);
    },
    drop() {
      if (!this.drag) return;
      const { end, moved } = this.drag;
      const aimed = this.aimed;
      this.letGo();
      if (!moved) this.look({ show: `cable:${end.dataset.cable}` });
      else if (aimed && aimed.dataset.stud !== end.dataset.on) this.put_end(end, aimed.dataset.stud);
    },
    put_end(end, stud) {
      return this.change([{ op: "move_end", cable: end.dataset.cable, end: end.dataset.end, to: stud }]);
    },
    letGo() {
      const svg = this.svg();
      this.drag = null;
      this.aimed = null;
      if (!svg) return;
      svg.classList.remove("choosing");
      for (const rubber of svg.querySelectorAll(".rubber")) rubber.remove();
      for (const held of svg.querySelectorAll(".held")) held.classList.remove("held");
      for (const target of svg.querySelectorAll(".aimed")) target.classList.remove("aimed");
    },
    keyed(event) {
      const end = event.target.closest(".end");
      if (end) return this.endKey(event, end);
      if (event.target.id === "lines" && event.key === "Enter" && !event.shiftKey) {
        event.preventDefault();
        return event.target.form.requestSubmit();
      }
      if (event.key === "Escape") return this.look({ show: "", pick: "" });
      const item = event.target.closest("svg [tabindex]");
      if (item && this.rowKey(event, item)) return undefined;
      if (
        event.target.closest("svg") &&
        (event.key === "Enter" || event.key === " ") &&
        event.target.closest("[role=button]")
      ) {
        event.preventDefault();
        return event.target
          .closest("[role=button]")
          .dispatchEvent(new MouseEvent("click", { bubbles: true }));
      }
      return undefined;
    },
    endKey(event, end) {
      if (event.key === "Escape") {
        const head = this.heads().get(this.rowOf(end));
        if (!this.aimed && head) head.focus();
        return this.letGo();
      }
      const ways = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 };
      if (event.key in ways && this.editable()) {
        event.preventDefault();
        const targets = this.choosing(end);
        const at = targets.findIndex((target) =>
          this.aimed ? target === this.aimed : target.dataset.stud === end.dataset.on,
        );
        return this.aim(targets[(at + ways[event.key] + targets.length) % targets.length]);
      }
      if (event.key === "Enter" || event.key === " ") {
        event.preventDefault();
        const aimed = this.aimed;
        this.letGo();
        if (aimed && aimed.dataset.stud !== end.dataset.on) return this.put_end(end, aimed.dataset.stud);
        return this.look({ show: `cable:${end.dataset.cable}` });
      }
      return undefined;
    },
    undoKey(event) {
      if (!(event.ctrlKey || event.metaKey) || event.target.closest("input, textarea")) return;
      const key = event.key.toLowerCase();
      if (key !== "z" && key !== "y") return;
      event.preventDefault();
      this.send("step", { way: key === "y" || event.shiftKey ? "redo" : "undo" });
    },
    zoomed(way) {
      this.whole = way === 0;
      this.zoom = way === 0 ? 0 : Math.max(-2, Math.min(5, this.zoom + way));
      this.scale();
    },
    scale() {
      const svg = this.svg();
      svg.classList.toggle("whole", this.whole);
      for (let step = -2; step <= 5; step += 1)
        svg.classList.toggle(`zoom-${step}`.replace("--", "-out-"), step === this.zoom && step !== 0);
    },
  }));
});
