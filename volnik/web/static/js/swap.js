// Putting a fragment of the server in the place of what is shown: only what changed is touched, so focus, scrolling, opened
// details and a half-typed field stay. Nothing else writes HTML.
"use strict";

(() => {
  const NAMES = ["part", "cable", "end", "stud", "grip", "slip", "pick", "open"];

  // What an element is, so that it is known again when others were put before it.
  function key(element) {
    if (element.id) return element.id;
    const names = NAMES.filter((name) => element.dataset && name in element.dataset);
    return names.length ? names.map((name) => `${name}:${element.dataset[name]}`).join(" ") : null;
  }

  // Elements alike (a cable's two ends on one post) would be taken for one: of those, none has a key.
  function keys(...roots) {
    const found = new Map();
    for (const root of roots) {
      const seen = new Set();
      for (const element of root.querySelectorAll("*")) {
        const name = key(element);
        if (name && seen.has(name)) found.set(name, false);
        else if (name && found.get(name) !== false) found.set(name, true);
        if (name) seen.add(name);
      }
    }
    return (element) => {
      const name = key(element);
      return name && found.get(name) ? name : null;
    };
  }

  const fields = (place) => [...place.querySelectorAll("input:not([type=file]), textarea, select")];

  // What the server says stands in a field, whatever was typed since.
  function said(field) {
    if (field.matches("select")) return [...field.options].map((option) => `${option.value}:${option.defaultSelected}`).join(" ");
    return field.matches("[type=checkbox], [type=radio]") ? String(field.defaultChecked) : field.defaultValue;
  }

  function follow(field) {
    if (field.matches("select")) for (const option of field.options) option.selected = option.defaultSelected;
    else if (field.matches("[type=checkbox], [type=radio]")) field.checked = field.defaultChecked;
    else if (field.matches("input") || field.defaultValue) field.value = field.defaultValue;
  }

  window.volnik.swap = (place, html) => {
    const fresh = place.cloneNode(false);
    fresh.innerHTML = html;
    const before = new Map(fields(place).map((field) => [field, said(field)]));
    window.Alpine.morph(place, fresh, {
      lookahead: true,
      key: keys(place, fresh),
      updating(from, to) {
        if (from.nodeName === "DETAILS" && from.open) to.open = true;
        if (from.nodeName === "TEMPLATE") from.innerHTML = to.innerHTML; // what it holds are no children of it
      },
    });
    // A field follows the server where the server's word changed; what is being typed is nobody's but the hand's.
    for (const field of fields(place)) {
      const typing = field === document.activeElement && field.matches("input, textarea");
      if (!typing && before.get(field) !== said(field)) follow(field);
    }
  };
})();
