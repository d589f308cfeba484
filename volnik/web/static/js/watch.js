// Watch: the strip's window and time cursor. The server counts, draws and words everything; this keeps
// where we look.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("watch", () => ({
    init() {
      const data = this.$root.dataset;
      this.first = Number(data.start);
      this.last = Number(data.end);
      this.start = Math.max(this.first, this.last - 7 * 86400);
      this.end = this.last;
      this.at = this.last;
      this.latest = true;
      this.pens = data.pens.split(",");
      this.turn = 0;
      this.take(this.$refs.moment);
      const paper = this.$refs.paper;
      paper.addEventListener("pointerdown", (event) => this.down(event));
      window.addEventListener("pointermove", (event) => this.moved(event));
      window.addEventListener("pointerup", (event) => this.up(event));
      paper.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
      paper.addEventListener("keydown", (event) => this.keyed(event));
      this.$root.addEventListener("click", (event) => this.pressed(event));
      let settled;
      window.addEventListener("resize", () => {
        clearTimeout(settled);
        settled = setTimeout(() => this.draw(), 150);
      });
      this.draw();
    },
    take(fragment) {
      for (const part of fragment.querySelectorAll("template[data-into]")) {
        if (part.dataset.into === "tips")
          this.tips = [...part.content.querySelectorAll("data[data-pen]")].map((tip) => ({
            pen: tip.dataset.pen,
            value: Number(tip.value),
            text: tip.textContent,
          }));
        else window.volnik.swap(this.$refs[part.dataset.into], part.innerHTML);
      }
      this.carriage();
    },
    async draw() {
      const turn = ++this.turn;
      const paper = this.$refs.paper;
      const width = Math.max(300, Math.floor(paper.clientWidth));
      const room = Math.floor(window.innerHeight - paper.getBoundingClientRect().top - window.scrollY - 14);
      const height = Math.max(104 * this.pens.length, 312, Math.min(700, room));
      const asked = new URLSearchParams({
        start: this.start,
        end: this.end,
        width,
        height,
        pens: this.pens.join(","),
      });
      paper.classList.add("waiting");
      const answer = await window.volnik.ask(`/rigs/${this.$root.dataset.rig}/watch/strip?${asked}`);
      if (turn !== this.turn) return;
      paper.classList.remove("waiting");
      if (answer.ok) window.volnik.swap(paper, answer.text);
      else if (answer.away) window.volnik.say("Volnik does not answer; the strip stands as it was.");
      else window.volnik.say("The strip could not be drawn; try another window.");
      this.carriage();
    },
    carriage() {
      const svg = this.$refs.paper.querySelector("svg.paper");
      if (!svg) return;
      const group = svg.querySelector(".carriage");
      const share =
        (this.at - Number(svg.dataset.start)) / (Number(svg.dataset.end) - Number(svg.dataset.start));
      group.toggleAttribute("hidden", share < 0 || share > 1.0001);
      const x = Number(svg.dataset.left) + share * (Number(svg.dataset.right) - Number(svg.dataset.left));
      const line = group.querySelector("line");
      line.setAttribute("x1", x);
      line.setAttribute("x2", x);
      for (const tip of group.querySelectorAll(".tip")) {
        const told = (this.tips || []).find((found) => found.pen === tip.dataset.pen);
        tip.toggleAttribute("hidden", !told);
        if (!told) continue;
        const lane = svg.querySelector(`.lane[data-pen="${tip.dataset.pen}"]`).dataset;
        const up = Math.min(
          1,
          Math.max(0, (told.value - Number(lane.low)) / (Number(lane.high) - Number(lane.low))),
        );
        tip.setAttribute(
          "transform",
          `translate(${x} ${Number(lane.y0) + up * (Number(lane.y1) - Number(lane.y0))})`,
        );
        tip.querySelector("text").textContent = told.text;
      }
    },
    async goto(at) {
      this.latest = at >= this.last;
      this.at = Math.min(this.last, Math.max(this.first, at));
      this.carriage();
      if (this.fetching) {
        this.again = true;
        return;
      }
      this.fetching = true;
      const ask = this.latest ? "" : `?at=${this.at}`;
      const answer = await window.volnik.ask(`/rigs/${this.$root.dataset.rig}/watch/moment${ask}`);
      if (answer.ok) {
        const fragment = document.createElement("template");
        fragment.innerHTML = answer.text;
        this.take(fragment.content);
      }
      this.fetching = false;
      if (this.again) {
        this.again = false;
        this.goto(this.latest ? this.last : this.at);
      }
    },
    look(start, end) {
      const least = 120;
      const reach = Math.min(Math.max(end - start, least), this.last - this.first + 60);
      let from = start;
      if (from + reach > this.last + 30) from = this.last + 30 - reach;
      if (from < this.first - 30) from = this.first - 30;
      this.start = from;
      this.end = from + reach;
      this.draw();
    },
    zoom(factor, about) {
      const middle =
        about === undefined
          ? this.at >= this.start && this.at <= this.end
            ? this.at
            : (this.start + this.end) / 2
          : about;
      this.look(middle - (middle - this.start) * factor, middle + (this.end - middle) * factor);
    },
    time(event) {
      const svg = this.$refs.paper.querySelector("svg.paper");
      if (!svg) return this.at;
      const box = svg.getBoundingClientRect();
      const left = Number(svg.dataset.left);
      const share = (event.clientX - box.left - left) / (Number(svg.dataset.right) - left);
      return Number(svg.dataset.start) + share * (Number(svg.dataset.end) - Number(svg.dataset.start));
    },
    down(event) {
      this.held = { x: event.clientX, start: this.start, end: this.end, shifted: false };
    },
    moved(event) {
      if (!this.held) return;
      const svg = this.$refs.paper.querySelector("svg.paper");
      const by = event.clientX - this.held.x;
      if (!svg || (Math.abs(by) < 4 && !this.held.shifted)) return;
      this.held.shifted = true;
      const each = (this.held.end - this.held.start) / (Number(svg.dataset.right) - Number(svg.dataset.left));
      const now = Date.now();
      if (now - (this.drawn || 0) < 45) return;
      this.drawn = now;
      this.look(this.held.start - by * each, this.held.end - by * each);
    },
    up(event) {
      if (!this.held) return;
      if (!this.held.shifted) this.goto(this.time(event));
      this.held = null;
    },
    wheel(event) {
      event.preventDefault();
      this.zoom(event.deltaY > 0 ? 1.25 : 0.8, this.time(event));
    },
    keyed(event) {
      const step = (this.end - this.start) / 120;
      const ways = {
        ArrowLeft: () => this.goto(this.at - step * (event.shiftKey ? 10 : 1)),
        ArrowRight: () => this.goto(this.at + step * (event.shiftKey ? 10 : 1)),
        "+": () => this.zoom(0.5),
        "=": () => this.zoom(0.5),
        "-": () => this.zoom(2),
        0: () => this.look(this.first, this.last),
        Home: () => this.goto(this.first),
        End: () => this.now(),
      };
      if (!ways[event.key]) return;
      event.preventDefault();
      ways[event.key]();
    },
    now() {
      const reach = this.end - this.start;
      this.goto(this.last);
      this.look(this.last - reach, this.last);
    },
    pressed(event) {
      const button = event.target.closest("button");
      if (!button) return;
      const { span, zoom, pan, penToggle } = button.dataset;
      const reach = this.end - this.start;
      if (span === "all") this.look(this.first, this.last);
      else if (span) this.look(this.end - Number(span), this.end);
      else if (zoom) this.zoom(Number(zoom));
      else if (pan) this.look(this.start + reach * Number(pan), this.end + reach * Number(pan));
      else if ("now" in button.dataset) this.now();
      else if (penToggle) this.toggle(button, penToggle);
    },
    toggle(button, pen) {
      const on = this.pens.includes(pen);
      if (on && this.pens.length === 1) return;
      this.pens = on ? this.pens.filter((other) => other !== pen) : [...this.pens, pen];
      button.setAttribute("aria-pressed", on ? "false" : "true");
      this.draw();
    },
  }));
});
