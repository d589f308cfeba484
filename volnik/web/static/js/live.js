// What a rig says now: one stream, connected again by itself; a figure is shown only while it is fresh. Nothing is reckoned here.
"use strict";

window.volnikLive = {
  start(rig, told) {
    let heard = null;
    let at = 0;
    const source = new EventSource(`/rigs/${rig}/live`);
    const age = () => (heard === null || !heard.heard ? null : heard.age_s + (performance.now() - at) / 1000);
    const words = (seconds) => (seconds < 90 ? `${Math.round(seconds)} s` : seconds < 5400 ? `${Math.round(seconds / 60)} min` : `${Math.round(seconds / 3600)} h`);
    function paint() {
      const place = document.querySelector("[data-live]");
      const old = age();
      if (!place || old === null) return;
      const fresh = old <= heard.fresh_s && source.readyState === EventSource.OPEN;
      const figures = place.querySelector("[data-live-figures]");
      if (!figures) return;
      figures.hidden = !fresh;
      place.querySelector("[data-live-stale]").hidden = fresh;
      const sign = (value) => `${value > 0.004 ? "+" : value < -0.004 ? "−" : ""}${Math.abs(value).toFixed(2)}`;
      figures.textContent = `${sign(heard.amps)} A, ${heard.volts.toFixed(2)} V${heard.soc === null || heard.soc === undefined ? "" : `, ${(100 * heard.soc).toFixed(1)} %`}`;
      place.querySelector("[data-live-age]").textContent = source.readyState === EventSource.OPEN ? `heard ${words(old)} ago` : `the link to Volnik is away; heard ${words(old)} ago`;
    }
    source.addEventListener("now", (event) => {
      heard = JSON.parse(event.data);
      at = performance.now();
      paint();
      told(heard);
    });
    setInterval(paint, 1000);
    window.addEventListener("pagehide", () => source.close());
    return { age, latest: () => heard };
  },
};

// Watch: a line above the page, and an offer to draw the page anew once a minute of readings came in.
document.addEventListener("DOMContentLoaded", () => {
  const place = document.querySelector("[data-live-rig]");
  if (!place) return;
  let first = null;
  const draw = place.querySelector("[data-live-draw]");
  draw.addEventListener("click", () => location.reload());
  window.volnikLive.start(place.dataset.liveRig, (now) => {
    if (!now.heard) return;
    if (first === null) first = now.time_s;
    draw.hidden = now.time_s - first < 60;
  });
});
