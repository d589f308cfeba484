// Cards for the bay: one turn of work a screen, a tick a step. Ticks stand in the page at once, wait in the
// browser's queue until the server has them, and stand as the server says once it does.
"use strict";

document.addEventListener("alpine:init", () => {
  const GLYPHS = { done: "✓", skipped: "–", changed: "!" };
  const settled = (step) => step.state === "done" || step.state === "skipped";
  const newMark = () => {
    if (crypto.randomUUID) return crypto.randomUUID(); // not there outside https and this machine
    return [...crypto.getRandomValues(new Uint8Array(16))]
      .map((byte) => byte.toString(16).padStart(2, "0"))
      .join("");
  };

  window.Alpine.data("wireup", () => ({
    rig: "",
    who: "",
    phases: [],
    strict: [],
    steps: [], // in their order: what each says, on which card, and where it stands
    shown: 1, // number of the card
    waiting: [], // ticks the server has not yet
    away: false,
    sending: false,
    clock: Date.now(),
    from: null, // where a finger came down

    async init() {
      const { rig, who, phases, strict } = this.$root.dataset;
      Object.assign(this, { rig, who, phases: phases.split(","), strict: strict.split(",") });
      this.steps = [...this.$root.querySelectorAll(".card-step")].map((item) => {
        const { step: key, title, phase, state, done } = item.dataset;
        const card = Number(item.dataset.card);
        return { key, card, title, phase, state, done, before: "", refusal: "", notes: [], photos: [] };
      });
      this.order();
      const key = sessionStorage.getItem(`volnik-card-${rig}`);
      const last = this.steps.find((step) => step.key === key);
      this.show(last ? last.card : this.next);
      this.waiting = await window.volnik.queue.waiting(rig);
      this.waiting.forEach((tick) => this.take(tick));
      if (!last) this.show(this.next);
      setInterval(() => {
        this.clock = Date.now();
      }, 1000);
      setInterval(() => this.send(), 3000);
      window.addEventListener("online", () => this.send());
      this.send();
    },

    // What the page says
    get left() {
      return this.steps.filter((step) => !settled(step));
    },
    get settledCount() {
      return this.steps.length - this.left.length;
    },
    get next() {
      return this.left.length ? this.left[0].card : 1;
    },
    get last() {
      return this.steps[this.steps.length - 1].card;
    },
    get heading() {
      return this.left.length ? `Next: ${this.left[0].title}.` : "Every step is done or skipped.";
    },
    get closable() {
      return !this.left.length && !this.waiting.length;
    },
    get queued() {
      const count = this.waiting.length;
      if (!count) return "";
      const link = this.away ? "; the link is away, they are sent when it is back" : "";
      return `${count} ${count === 1 ? "entry waits" : "entries wait"} in this browser${link}.`;
    },
    glyph(number) {
      return this.steps.some((step) => step.card === number && !settled(step)) ? "○" : GLYPHS.done;
    },
    pip(place) {
      return `${this.steps[place].state}${this.steps[place].card === this.shown ? " here" : ""}`;
    },

    // Which card is shown
    show(number) {
      this.shown = Math.min(this.last, Math.max(1, number));
      const first = this.steps.find((step) => step.card === this.shown);
      sessionStorage.setItem(`volnik-card-${this.rig}`, first.key);
      this.$nextTick(() => this.bring());
    },
    // The first open step of the card into view; of one not begun its head, with the cautions.
    bring() {
      const mine = this.steps.filter((step) => step.card === this.shown);
      const first = mine.findIndex((step) => !settled(step));
      const place = first > 0 ? this.steps.indexOf(mine[first]) : -1;
      const { cards } = this.$refs;
      if (place < 0) cards.scrollTop = 0;
      else cards.querySelectorAll(".card-step")[place].scrollIntoView({ block: "nearest" });
    },
    goto(event) {
      const { go, goCard } = event.currentTarget.dataset;
      this.show(goCard ? Number(goCard) : this.steps[Number(go) - 1].card);
      if (this.$refs.all.open) this.$refs.all.close();
    },
    back() {
      this.show(this.shown - 1);
    },
    forth() {
      this.show(this.shown + 1);
    },
    turned(event) {
      if (event.target.matches("input")) return;
      if (event.key === "ArrowRight") this.forth();
      if (event.key === "ArrowLeft") this.back();
    },
    openAll() {
      this.$refs.all.showModal();
    },
    closeAll() {
      this.$refs.all.close();
    },
    touched(event) {
      this.from = event.touches[0];
    },
    swiped(event) {
      const { from } = this;
      this.from = null;
      if (!from || event.target.closest("input, button, summary")) return;
      const [across, down] = [
        event.changedTouches[0].clientX - from.clientX,
        event.changedTouches[0].clientY - from.clientY,
      ];
      if (Math.abs(across) > 60 && Math.abs(across) > 2 * Math.abs(down))
        this.show(this.shown + (across < 0 ? 1 : -1));
    },

    // The order is the server's; it is told here too so that nothing is done out of turn while away.
    order() {
      let before = "";
      let here = "";
      let phase = "";
      for (const step of this.steps) {
        if (step.phase !== phase) {
          before = before || here;
          here = "";
          phase = step.phase;
        }
        step.before = before || (this.strict.includes(phase) ? here : "");
        if (!settled(step) && !here) here = step.title;
      }
    },

    // A tick stands in the page before the server has it.
    take(tick) {
      const step = this.steps.find((known) => known.key === tick.step);
      if (!step) return;
      if (tick.kind === "done" || tick.kind === "skipped") {
        step.state = tick.kind;
        step.done = this.told(tick);
      } else if (tick.kind === "undone") step.state = "open";
      else if (tick.kind === "note" && !step.notes.some((note) => note.mark === tick.mark))
        step.notes.push({ mark: tick.mark, text: tick.body.text });
      this.order();
    },
    told(tick) {
      const at = new Date(tick.time_s * 1000).toLocaleTimeString("en-GB", {
        hour: "2-digit",
        minute: "2-digit",
        timeZone: this.$root.dataset.zone,
      });
      const said = tick.body.value === undefined ? tick.body.reason : tick.body.value;
      const done = tick.kind === "done" ? "Done" : "Skipped";
      return [`${done} ${at}`, this.who && ` by ${this.who}`, said !== undefined && `: ${said}`]
        .filter(Boolean)
        .join("");
    },
    async add(kind, key, body) {
      const tick = { mark: newMark(), step: key, kind, time_s: Date.now() / 1000, body, who: this.who };
      this.refuse(key, "");
      this.take(tick);
      await window.volnik.queue.add(this.rig, tick); // only what lies in the queue is said to wait there
      this.waiting.push(tick);
      this.send();
    },
    refuse(key, why) {
      const step = this.steps.find((known) => known.key === key);
      if (step) step.refusal = why;
      else if (why) window.volnik.say(why);
    },
    choose(event) {
      this.add("choice", "closing", { school: event.currentTarget.dataset.school });
    },

    async send() {
      if (this.sending) return;
      this.sending = true;
      const answer = await window.volnik.queue.send(this.rig);
      if (answer) await this.answered(answer);
      this.sending = false;
      if (answer && answer.ticks && this.waiting.length) this.send(); // ticked meanwhile
    },
    async answered(answer) {
      this.away = Boolean(answer.away);
      if (answer.away) return;
      if (answer.error) {
        window.volnik.say(answer.error);
        return;
      }
      const refused = answer.ticks.filter((tick) => !tick.kept);
      for (const { mark, why } of refused)
        this.refuse(answer.sent.find((tick) => tick.mark === mark).step, `Not kept: ${why}`);
      await window.volnik.queue.drop(this.rig, new Set(refused.map((tick) => tick.mark)));
      for (const step of this.steps) if (answer.steps[step.key]) step.state = answer.steps[step.key].state;
      this.waiting = await window.volnik.queue.waiting(this.rig);
      this.order();
      this.waiting.forEach((tick) => this.take(tick));
      if (answer.sent.some((tick) => tick.kind === "choice")) location.reload();
    },
  }));

  // One card: shown or not.
  window.Alpine.data("workCard", () => ({
    number: 1,
    init() {
      this.number = Number(this.$el.dataset.number);
    },
    get hidden() {
      return this.shown !== this.number;
    },
  }));

  // One step of a card: what is typed at it, and what is still wrong with that.
  window.Alpine.data("cardStep", () => ({
    // What the step was written with (declared here: Alpine sets an undeclared name on the outermost).
    asks: {},
    place: 0,
    value: "",
    answer: "",
    note: "",
    reason: "",
    unreadable: false,
    began: 0, // of its timer [ms]

    init() {
      this.asks = this.$el.dataset;
      this.place = Number(this.asks.number) - 1;
      this.began = Number(localStorage.getItem(this.timer)) || 0;
    },
    get step() {
      return this.steps[this.place];
    },
    get settled() {
      return settled(this.step);
    },
    get blocked() {
      return Boolean(this.step.before) && !this.settled;
    },
    get changed() {
      return this.step.state === "changed";
    },
    get first() {
      return `First: ${this.step.before}.`;
    },
    get saidYes() {
      return this.answer === "yes";
    },
    get saidNo() {
      return this.answer === "no";
    },
    sayYes() {
      this.answer = "yes";
    },
    sayNo() {
      this.answer = "no";
    },

    tick() {
      const wrong = this.wrong();
      if (wrong) {
        this.refuse(this.step.key, wrong);
        return;
      }
      const value = this.asks.ask === "yes_no" ? this.answer : this.read();
      this.add("done", this.step.key, value === null || value === "" ? {} : { value });
      const here = this.steps.some((step) => step.card === this.shown && !settled(step));
      if (!here && this.left.length) this.show(this.next);
    },
    // What was typed, as a number where one is asked for; null where it is none.
    read() {
      const typed = this.value.trim();
      if (!this.asks.ask || this.asks.ask === "text") return typed;
      const number = Number(typed.replace(",", ".").replace("−", "-"));
      return typed && Number.isFinite(number) ? number : null;
    },
    // What keeps the step from being ticked, in a sentence; "" for nothing.
    wrong() {
      const { ask, most, title } = this.asks;
      const must = "must" in this.asks;
      this.unreadable = false;
      if (!ask) return "";
      if (ask === "yes_no") {
        if (!this.answer) return "Answer yes or no first.";
        return "wantsYes" in this.asks && this.answer !== "yes"
          ? `${title}: mend it first; the work goes on once it does.`
          : "";
      }
      const typed = this.value.trim();
      if (ask === "text") return must && !typed ? "Write it down first." : "";
      const value = this.read();
      if (value === null && (typed || must)) {
        this.unreadable = true;
        this.$refs.value.focus();
        return typed ? `“${typed}” is not a number.` : "Type what was read; this step rests on it.";
      }
      if (most && value !== null && Math.abs(value) > Number(most))
        return `${value} is too much: at most ${most} are left when this step is done. Find what still feeds it.`;
      return "";
    },
    undo() {
      this.add("undone", this.step.key, {});
    },
    keepNote() {
      const text = this.note.trim();
      if (text) this.add("note", this.step.key, { text });
      this.note = "";
    },
    skip() {
      const reason = this.reason.trim();
      if (reason.length < 3) this.refuse(this.step.key, "Say why it is skipped, in a few words.");
      else if (this.step.before) this.refuse(this.step.key, this.first);
      else {
        this.add("skipped", this.step.key, { reason });
      }
    },
    async photo(event) {
      const input = event.target;
      const file = input.files && input.files[0];
      if (!file) return;
      const body = new FormData();
      body.append("file", file);
      body.append("step", this.step.key);
      body.append("mark", newMark());
      const answer = await window.volnik.post(`/rigs/${this.rig}/wireup/photos`, body);
      input.value = "";
      if (answer.away)
        this.refuse(
          this.step.key,
          "The link is away and a photo cannot wait in the browser: take it again when the link is back.",
        );
      else if (!answer.ok)
        this.refuse(this.step.key, window.volnik.refusal(answer, "The photo was not taken.").error);
      else {
        this.refuse(this.step.key, "");
        this.step.photos.push(`/rigs/${this.rig}/survey/photos/${JSON.parse(answer.text).photo}.jpg`);
      }
    },

    // Its timer
    get timer() {
      return `volnik-timer-${this.rig}-${this.asks.step}`;
    },
    get secondsLeft() {
      return this.began ? Math.round(Number(this.asks.seconds) - (this.clock - this.began) / 1000) : null;
    },
    get over() {
      return this.secondsLeft !== null && this.secondsLeft <= 0;
    },
    get timed() {
      const left = this.secondsLeft;
      if (left === null) return `${this.asks.minutes} min: start`;
      return left > 0
        ? `${Math.floor(left / 60)}:${String(left % 60).padStart(2, "0")} left`
        : "time is over";
    },
    start() {
      this.began = Date.now();
      localStorage.setItem(this.timer, String(this.began));
    },
  }));
});
