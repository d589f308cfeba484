// The board for helm or cab: figures as heard, or of a made-up day; an old one is never shown as new.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("helm", () => ({
    written: "",
    demo: false,
    init() {
      this.written = this.$root.querySelector("[role=status]").textContent;
      if (!this.$root.dataset.demo) {
        this.$store.live.listen(this.$root.dataset.rig);
        return;
      }
      this.demo = true;
      const frames = JSON.parse(this.$root.dataset.demo);
      let at = 0;
      const next = () => {
        this.$store.live.take({ heard: true, age_s: 0, fresh_s: 10, ...frames[at] });
        at = (at + 1) % frames.length;
      };
      next();
      setInterval(next, 1000);
    },
    get said() {
      if (this.demo) return "demo signals, not this rig's";
      const { age, fresh, linked } = this.$store.live;
      if (!linked) return "the link to Volnik is away";
      if (age === null) return this.written;
      return fresh ? "live" : `old: last heard ${Math.round(age)} s ago`;
    },
  }));

  window.Alpine.data("tile", () => ({
    first: "–",
    init() {
      this.first = this.$root.querySelector("b").textContent;
    },
    // The figure in its unit, or null while none is fresh.
    get value() {
      const { what, times, plus } = this.$root.dataset;
      const heard = this.$store.live.value(what);
      return heard === null ? null : heard * Number(times) + Number(plus);
    },
    get figure() {
      if (!this.$store.live.heard) return this.first;
      if (this.value === null) return "–";
      if (!this.$root.dataset.unit) return this.value > 0.5 ? "on" : "off";
      const text = this.value.toFixed(Number(this.$root.dataset.digits));
      return text.replace("-", "−");
    },
    get state() {
      const { low, high } = this.$root.dataset;
      if (this.value === null) return this.$store.live.heard ? "stale" : "";
      const under = low !== "" && this.value < Number(low);
      const over = high !== "" && this.value > Number(high);
      return under || over ? "outside" : "";
    },
    get note() {
      const { heard } = this.$store.live;
      if (!heard) return "";
      if (this.$root.dataset.what === "soc" && heard.believed === false)
        return "not to be believed: see Watch";
      if (this.value === null) return "no figure now";
      if (this.state === "outside") return "outside its limits";
      const { soc_low: low, soc_high: high } = heard;
      if (this.$root.dataset.what !== "soc" || low === null || low === undefined) return "";
      return `between ${Math.round(100 * low)} and ${Math.round(100 * high)}`;
    },
  }));
});
