// What every page shares: the help sheet, keys that lead somewhere, a file told too large before it is
// sent.
"use strict";

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-help]")) document.getElementById("help").showModal();
  if (event.target.closest("[data-print]")) window.print();
});

document.addEventListener("change", (event) => {
  const { most } = event.target.dataset;
  const file = most && event.target.files && event.target.files[0];
  if (!file || file.size <= Number(most)) return;
  const size = (bytes) => Math.round(bytes / 1048576);
  window.volnik.say(
    `That file has ${size(file.size)} MB; at most ${size(Number(most))} MB are taken. Send a smaller copy.`,
  );
  event.target.value = "";
});

// What is wrong is where the hand goes on; else the field an address leads to.
document.addEventListener("DOMContentLoaded", () => {
  const led = location.hash && document.getElementById(location.hash.slice(1));
  const wrong =
    document.querySelector("main [aria-invalid]") || (led && led.matches("input, select") ? led : null);
  if (wrong && wrong.offsetParent) wrong.focus();
});

// What is dragged by a finger does not scroll the page under it; elsewhere on a board a finger scrolls.
window.volnik.heldByFinger = (board, selector) =>
  board.addEventListener(
    "touchstart",
    (event) => {
      if (event.target.closest(selector)) event.preventDefault();
    },
    { passive: false },
  );

let led = false;
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey) return;
  if (event.target.closest("input, select, textarea")) return;
  const rig = location.pathname.match(/^\/rigs\/\d+/);
  const pages = {
    s: "survey",
    d: "survey/devices",
    p: "path",
    n: "numbers",
    w: "watch",
    u: "wireup",
    i: "visit",
    h: "handover",
    v: "prove",
  };
  const ways = { y: "/", o: "/doors" };
  if (rig) for (const [letter, page] of Object.entries(pages)) ways[letter] = `${rig[0]}/${page}`;
  if (led && ways[event.key]) location.assign(ways[event.key]);
  led = event.key === "g";
  if (event.key === "?") document.getElementById("help").showModal();
  if (event.key === "/" && document.getElementById("search")) {
    event.preventDefault();
    document.getElementById("search").focus();
  }
});

// Ticks of a list to take along: kept in this browser alone, by page and by what is ticked.
document.addEventListener("DOMContentLoaded", () => {
  const boxes = [...document.querySelectorAll("input[data-tick]")];
  if (!boxes.length) return;
  const place = `volnik.ticks ${location.pathname}`;
  const ticked = new Set(JSON.parse(localStorage.getItem(place) || "[]"));
  for (const box of boxes) {
    box.checked = ticked.has(box.dataset.tick);
    box.addEventListener("change", () => {
      if (box.checked) ticked.add(box.dataset.tick);
      else ticked.delete(box.dataset.tick);
      localStorage.setItem(place, JSON.stringify([...ticked]));
    });
  }
});
