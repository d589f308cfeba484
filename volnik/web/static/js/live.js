// What a rig says now: one stream a page, connected again by itself; a figure is shown only while it is
// fresh. Nothing is reckoned here.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.store("live", {
    heard: null, // the last the server said, as it said it
    at: 0, // when, by this page's own clock [ms]
    clock: 0,
    linked: true,
    source: null,
    listeners: [],

    // Hears a rig from here on; `told` is called with all it says.
    listen(rig, told) {
      if (told) this.listeners.push(told);
      if (this.source) return;
      this.source = new EventSource(`/rigs/${rig}/live`);
      this.source.addEventListener("now", (event) => this.take(JSON.parse(event.data)));
      setInterval(() => {
        this.clock = performance.now();
        this.linked = this.source.readyState === EventSource.OPEN;
      }, 1000);
      window.addEventListener("pagehide", () => this.source.close());
    },
    take(heard) {
      this.at = this.clock = performance.now();
      this.heard = heard;
      this.linked = true;
      for (const told of this.listeners) told(heard);
    },
    get age() {
      return this.heard && this.heard.heard ? this.heard.age_s + (this.clock - this.at) / 1000 : null;
    },
    get fresh() {
      return this.linked && this.age !== null && this.age <= this.heard.fresh_s;
    },
    // A fresh value of a column, or null.
    value(column) {
      return this.fresh && this.heard[column] !== undefined ? this.heard[column] : null;
    },
  });

  const words = (seconds) => {
    if (seconds < 90) return `${Math.round(seconds)} s`;
    return seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`;
  };
  const signed = (value) => {
    const sign = value > 0.004 ? "+" : value < -0.004 ? "−" : "";
    return `${sign}${Math.abs(value).toFixed(2)}`;
  };

  // The line above a page: figures while they are fresh, how old they are, and the offer to draw the page
  // anew.
  window.Alpine.data("live", () => ({
    drawn: {}, // what the server wrote, until the stream is heard
    first: null,
    init() {
      const figures = this.$root.querySelector("[data-live-figures]");
      if (figures) {
        const said = this.$root.querySelector("[data-live-age]").textContent;
        this.drawn = { figures: figures.textContent, said, fresh: !figures.hidden };
      }
      if (this.$root.dataset.rig) this.$store.live.listen(this.$root.dataset.rig);
    },
    get now() {
      const { heard } = this.$store.live;
      return heard && heard.heard ? heard : null;
    },
    get stale() {
      return this.now ? !this.$store.live.fresh : !this.drawn.fresh;
    },
    get figures() {
      if (!this.now) return this.drawn.figures;
      const { amps, volts, soc } = this.now;
      const percent = soc === null || soc === undefined ? "" : `, ${(100 * soc).toFixed(1)} %`;
      return `${signed(amps)} A, ${volts.toFixed(2)} V${percent}`;
    },
    get said() {
      const { age, linked } = this.$store.live;
      if (age === null) return this.drawn.said;
      return linked ? `heard ${words(age)} ago` : `the link to Volnik is away; heard ${words(age)} ago`;
    },
    // What the next full reset wants and has, and what to do at the monitor then.
    get lamps() {
      if (!this.now || this.stale || !this.now.lamps) return [];
      return this.now.lamps.map((lamp) => ({ ...lamp, shown: lamp.lit ? "lit" : "" }));
    },
    get press() {
      return (this.now && !this.stale && this.now.press) || "";
    },
    // What its own columns say in passing: cells that part, loads hidden behind chargers.
    get beside() {
      return this.now && !this.stale ? this.now.beside.join("; ") : "";
    },
    // Whether a minute of readings came in since the page was drawn.
    get older() {
      if (!this.now) return false;
      if (this.first === null) this.first = this.now.time_s;
      return this.now.time_s - this.first >= 60;
    },
    reload() {
      location.reload();
    },
  }));
});
