// Putting a fragment of the server in the place of what is shown: only what changed is touched, so focus,
// scrolling, opened details and a half-typed field stay. Nothing else writes HTML.
"use strict";

(() => {
  const NAMES = ["part", "cable", "end", "stud", "grip", "slip", "pick", "open"];

  const NAMED = ["[id]", "form[action]", ...NAMES.map((part) => `[data-${part}]`)].join();

  // What an element is, so that it is known again when others were put before it.
  function name(element) {
    if (element.id) return element.id;
    // Another thing's form is another form.
    if (element.matches("form[action]")) return element.getAttribute("action");
    const { dataset } = element;
    return NAMES.filter((part) => part in dataset)
      .map((part) => `${part}:${dataset[part]}`)
      .join(" ");
  }

  // The names of all elements of both trees. Some are alike (a cable's two ends on one post): of those none
  // counts.
  function names(...roots) {
    const found = new Map();
    for (const root of roots) {
      const places = new Map();
      for (const element of root.querySelectorAll(NAMED)) {
        const key = name(element);
        found.set(element, places.has(key) ? null : key);
        if (places.has(key)) found.set(places.get(key), null);
        places.set(key, element);
      }
    }
    return found;
  }

  const fields = (place) => [...place.querySelectorAll("input:not([type=file]), textarea, select")];

  // What the server says stands in a field, whatever was typed since.
  function said(field) {
    if (field.matches("select"))
      return [...field.options].map((option) => `${option.value}:${option.defaultSelected}`).join(" ");
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
    const known = names(place, fresh);
    const before = new Map(fields(place).map((field) => [field, said(field)]));
    window.Alpine.morph(place, fresh, {
      lookahead: true,
      key: (element) => known.get(element) || null,
      updating(from, to, _childrenOnly, skip) {
        // Most of a board is as it was. (What a template holds is not compared, so such a part is looked
        // through.)
        if (
          from.nodeType === Node.ELEMENT_NODE &&
          from.isEqualNode(to) &&
          !from.matches("template") &&
          !from.querySelector("template")
        )
          return skip();
        if (from.nodeName === "DETAILS" && from.open) to.open = true;
        // What it holds are no children of it.
        if (from.nodeName === "TEMPLATE") from.innerHTML = to.innerHTML;
        return undefined;
      },
    });
    // A field follows the server where the server's word changed; what is being typed is nobody's but the
    // hand's.
    for (const field of fields(place)) {
      const typing = field === document.activeElement && field.matches("input, textarea");
      if (!typing && before.get(field) !== said(field)) follow(field);
    }
    if (window.volnik.drafts) window.volnik.drafts.look(place);
  };
})();
