// Nothing typed is lost: what differs from what is saved is kept in this browser until it is saved or
// dropped, across reload, Back and stage links. A draft holds only while what is saved is what it was typed
// over.
"use strict";

(() => {
  const PLACE = "volnik-drafts";
  const LONGEST_MS = 14 * 86_400_000;
  const TYPED =
    "input:not([type=hidden]):not([type=file]):not([type=password]):not([type=search]), select, textarea";
  // What a board's form held when its page came; other forms say it of themselves.
  const bases = new WeakMap();

  const failed = () => Number(document.body.dataset.status) >= 400;

  function stored() {
    try {
      return JSON.parse(localStorage.getItem(PLACE)) || {};
    } catch {
      return {};
    }
  }
  function store(drafts) {
    const young = Object.entries(drafts).filter(([, draft]) => Date.now() - draft.at < LONGEST_MS);
    try {
      localStorage.setItem(PLACE, JSON.stringify(Object.fromEntries(young)));
    } catch {
      /* a browser that keeps nothing: what is typed lasts as long as the page */
    }
  }

  const secret = /^\/(doors|pair)/.test(location.pathname);
  const kept = (form) =>
    !secret &&
    (form.method === "post" || form.matches("[data-form]")) &&
    form.matches("main form:not([data-no-draft])") &&
    form.querySelector(TYPED);
  const boxes = (form) => [...form.elements].filter((box) => box.name && box.matches(TYPED));
  const ticked = (box) => box.matches("[type=checkbox], [type=radio]");
  // Several forms of one page may go to one address: what they are about stands in their hidden fields.
  function keyOf(form) {
    const about = [...form.querySelectorAll("input[type=hidden]")].filter(
      (box) => !box.name.startsWith("_") && !["mark", "sure", "corrects"].includes(box.name),
    );
    const said = about.map((box) => `${box.name}=${box.value}`).join("&");
    return `${location.pathname}|${form.dataset.form || form.getAttribute("action") || ""}|${said}`;
  }

  function values(form, one) {
    const found = {};
    for (const box of boxes(form)) {
      const value = one(box);
      if (value === null) continue;
      found[box.name] = [...(found[box.name] || []), value];
    }
    return found;
  }
  const now = (form) => values(form, (box) => (ticked(box) && !box.checked ? null : box.value));
  const said = (form) =>
    values(form, (box) => {
      if (ticked(box)) return box.defaultChecked ? box.value : null;
      if (!box.matches("select")) return box.defaultValue;
      const option = [...box.options].find((each) => each.defaultSelected) || box.options[0];
      return option ? option.value : "";
    });
  const baseOf = (form) => bases.get(form) || said(form);
  const same = (one, other) => JSON.stringify(one || []) === JSON.stringify(other || []);
  function changes(form) {
    const [base, shown] = [baseOf(form), now(form)];
    if (bases.has(form)) {
      // A field the board shows only now holds what the server says of it.
      for (const [name, list] of Object.entries(said(form))) if (!(name in base)) base[name] = list;
    }
    const names = new Set([...Object.keys(base), ...Object.keys(shown)]);
    return [...names].filter((name) => !same(base[name], shown[name]));
  }

  function put(form, wanted) {
    let last = null;
    for (const [name, list] of Object.entries(wanted)) {
      const rest = [...list];
      for (const box of boxes(form).filter((each) => each.name === name)) {
        if (ticked(box)) box.checked = list.includes(box.value);
        else if (rest.length) box.value = rest.shift();
        last = box;
      }
    }
    if (last) for (const kind of ["input", "change"]) last.dispatchEvent(new Event(kind, { bubbles: true }));
  }

  function line(form, count) {
    let shown = form.querySelector(":scope > .draft-line");
    // What is drawn anew by the server is left as the server made it.
    if (!count || form.closest("[x-ref]")) {
      if (shown) shown.remove();
      return;
    }
    if (!shown) {
      shown = document.createElement("p");
      shown.className = "draft-line";
      shown.setAttribute("role", "status");
      const undo = document.createElement("button");
      undo.type = "button";
      undo.className = "btn btn-sm";
      undo.textContent = "Undo them";
      undo.addEventListener("click", () => drop(form));
      shown.append(document.createElement("span"), " ", undo);
      form.prepend(shown);
    }
    const text = `Not saved: ${count} ${count === 1 ? "change" : "changes"}, kept in this browser.`;
    if (shown.firstChild.textContent !== text) shown.firstChild.textContent = text;
  }

  function note(form) {
    if (!kept(form)) return;
    const drafts = stored();
    const key = keyOf(form);
    const changed = failed() && drafts[key] ? Object.keys(now(form)) : changes(form);
    if (changed.length) {
      const [base, shown] = [failed() && drafts[key] ? drafts[key].base : baseOf(form), now(form)];
      const pick = (from) => Object.fromEntries(changed.map((name) => [name, from[name] || []]));
      drafts[key] = { fields: pick(shown), base: pick(base), at: Date.now() };
    } else delete drafts[key];
    store(drafts);
    line(form, changed.length);
  }

  function drop(form) {
    const base = baseOf(form);
    const back = Object.fromEntries(changes(form).map((name) => [name, base[name] || []]));
    const drafts = stored();
    delete drafts[keyOf(form)];
    store(drafts);
    put(form, back);
    line(form, 0);
  }

  // What was typed here before, where what is saved is still what it was typed over.
  function restore(form) {
    if (!kept(form)) return;
    if (form.matches("[data-draft]") && !bases.has(form)) bases.set(form, said(form));
    const drafts = stored();
    const draft = drafts[keyOf(form)];
    if (!draft || failed()) return;
    const base = baseOf(form);
    const good = Object.entries(draft.fields).filter(([name]) => same(draft.base[name], base[name]));
    if (draft.sent || !good.length) {
      delete drafts[keyOf(form)];
      store(drafts);
      return;
    }
    put(form, Object.fromEntries(good));
    note(form);
  }

  document.addEventListener("input", (event) => event.target.form && note(event.target.form));
  document.addEventListener("change", (event) => event.target.form && note(event.target.form));
  document.addEventListener("submit", (event) => {
    const drafts = stored();
    const draft = drafts[keyOf(event.target)];
    if (!draft) return;
    draft.sent = true;
    store(drafts);
  });
  document.addEventListener("click", (event) => {
    const link = event.target.closest("[data-drop-drafts]");
    if (!link) return;
    const mine = Object.entries(stored()).filter(([key]) => !key.startsWith(`${location.pathname}|`));
    store(Object.fromEntries(mine));
  });
  // A part drawn anew: what was sent from it and taken differs no longer; what was refused is still typed
  // there.
  window.volnik.drafts = {
    look(place) {
      const drafts = stored();
      for (const form of place.querySelectorAll("form")) {
        if (!kept(form) || !drafts[keyOf(form)]) continue;
        if (changes(form).length || drafts[keyOf(form)].sent) note(form);
        else restore(form);
      }
    },
  };
  document.addEventListener("alpine:initialized", () => {
    // A page gone back to, or asked for again, follows no answer: what was sent may never have arrived.
    // What was refused is not saved either.
    const [went] = performance.getEntriesByType("navigation");
    const arrived = !failed() && went && went.type === "navigate";
    const drafts = stored();
    for (const [key, draft] of Object.entries(drafts)) {
      if (draft.sent && arrived) delete drafts[key];
      else delete draft.sent;
    }
    store(drafts);
    document.querySelectorAll("main form").forEach(restore);
  });
})();
