// Signatures drawn by pointer or finger: kept as lines of points from 0 to 1 of the field.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("signing", () => ({
    paper: false, // signed on paper: no field to draw in
    lines: {}, // by role
    drawing: "",
    init() {
      this.paper = this.$root.querySelector('[name="on_paper"]').checked;
    },
    onPaper(event) {
      this.paper = event.target.checked;
    },
    at(event) {
      const box = event.target.getBoundingClientRect();
      return [(event.clientX - box.left) / box.width, (event.clientY - box.top) / box.height];
    },
    begin(event) {
      event.preventDefault();
      event.target.setPointerCapture(event.pointerId);
      const { role } = event.target.dataset;
      this.drawing = role;
      this.lines[role] = [...(this.lines[role] || []), [this.at(event)]];
    },
    draw(event) {
      const { role } = event.target.dataset;
      if (this.drawing !== role) return;
      const line = this.lines[role][this.lines[role].length - 1];
      line.push(this.at(event));
      this.ink(event.target, line.slice(-2));
    },
    end() {
      this.drawing = "";
    },
    ink(canvas, [from, to]) {
      const pen = canvas.getContext("2d");
      pen.lineWidth = 3;
      pen.lineCap = "round";
      pen.strokeStyle = getComputedStyle(canvas).color;
      pen.beginPath();
      pen.moveTo(from[0] * canvas.width, from[1] * canvas.height);
      pen.lineTo(to[0] * canvas.width, to[1] * canvas.height);
      pen.stroke();
    },
    clear(event) {
      const { role } = event.currentTarget.dataset;
      this.lines[role] = [];
      const canvas = this.$root.querySelector(`canvas[data-role="${role}"]`);
      canvas.getContext("2d").clearRect(0, 0, canvas.width, canvas.height);
    },
    keep() {
      for (const [role, lines] of Object.entries(this.lines)) {
        const round = lines.map((line) => line.map((point) => point.map((part) => Number(part.toFixed(4)))));
        this.$root.querySelector(`[name="strokes_${role}"]`).value = JSON.stringify(round);
      }
    },
  }));
});
