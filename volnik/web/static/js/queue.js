// Ticks a browser could not send yet: kept in its IndexedDB until the server has them, each once by its own
// mark.
"use strict";

(() => {
  const { createStore, get, keys, update } = window.idbKeyval;
  const MOST_AT_ONCE = 200;
  const store = createStore("volnik", "ticks");
  const memory = new Map(); // where a browser keeps nothing: until the page is left

  const storing = new Map(); // ticks on their way into the store, by rig

  async function read(rig) {
    try {
      return (await get(rig, store)) || [];
    } catch {
      return memory.get(rig) || [];
    }
  }

  async function change(rig, how) {
    try {
      await update(rig, (ticks) => how(ticks || []), store);
    } catch {
      memory.set(rig, how(memory.get(rig) || []));
    }
  }

  window.volnik.queue = {
    async waiting(rig) {
      // Taken first: one may be stored while the rest is read.
      const early = [...(storing.get(Number(rig)) || [])];
      const kept = await read(Number(rig));
      const marks = new Set(kept.map((tick) => tick.mark));
      return [...kept, ...early.filter((tick) => !marks.has(tick.mark))];
    },
    async add(rig, tick) {
      const early = storing.get(Number(rig)) || new Set();
      storing.set(Number(rig), early.add(tick));
      await change(Number(rig), (ticks) => [...ticks, tick]);
      early.delete(tick);
    },
    drop(rig, marks) {
      return change(Number(rig), (ticks) => ticks.filter((tick) => !marks.has(tick.mark)));
    },

    // Sends what waits, oldest first; what was kept waits no longer, what was refused waits until it was
    // shown. Answers what the server made of it, or {away} or {error}; null where nothing waited.
    async send(rig) {
      const ticks = (await this.waiting(rig)).slice(0, MOST_AT_ONCE);
      if (!ticks.length) return null;
      const answer = await window.volnik.post(`/rigs/${rig}/wireup/ticks`, { ticks });
      if (answer.away) return { away: true };
      if (!answer.ok)
        return {
          error: window.volnik.refusal(answer, "The ticks were not taken; they stay in this browser.").error,
        };
      const taken = JSON.parse(answer.text);
      await this.drop(rig, new Set(taken.ticks.filter((tick) => tick.kept).map((tick) => tick.mark)));
      return { ...taken, sent: ticks };
    },
  };

  // Whatever page is opened next sends what a rig's cards could not; the cards send their own.
  if (location.pathname.endsWith("/wireup") || location.pathname === "/pair") return;
  keys(store)
    .then((rigs) => rigs.forEach((rig) => window.volnik.queue.send(rig)))
    .catch(() => {
      /* no store: nothing waits */
    });
})();
