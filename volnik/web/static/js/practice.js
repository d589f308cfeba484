// Practice: what is pressed on the drawing narrows the list of what can be looked at and done to it.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("practice", () => ({
    all: [],
    tips: 0,
    near: {
      bank: ["bank", "end", "block", "celsius", "labels", "inline", "bridge", "test"],
      display: ["display", "settings", "out", "fuse", "parked", "log"],
    },
    init() {
      const list = this.list();
      if (list)
        this.all = [...list.querySelectorAll("option")].map((option) => ({
          option,
          group: option.parentNode,
        }));
    },
    list() {
      return this.$root.querySelector("#look");
    },
    about(option, kind, key) {
      const [what, running, at] = option.value.split(".");
      if (kind === "what") return this.near[key].includes(what);
      return at === key || running === key || (kind === "device" && at.startsWith(`${key}_`));
    },
    offer(hit) {
      const [kind, key] = hit ? hit.dataset.about.split(":") : [];
      let offered = 0;
      for (const { option, group } of this.all) {
        const fits = !hit || this.about(option, kind, key);
        if (fits) group.append(option);
        else option.remove();
        offered += fits;
      }
      for (const group of new Set(this.all.map((each) => each.group))) group.hidden = !group.children.length;
      for (const each of this.$root.querySelectorAll(".hit.chosen")) each.classList.remove("chosen");
      if (hit) hit.classList.add("chosen");
      this.$root.querySelector("[data-all]").hidden = !hit;
      this.$root.querySelector("[data-told]").textContent = hit
        ? `${hit.dataset.name}: ${offered} to look at or do`
        : "";
      const button = this.list().form.querySelector("button");
      button.disabled = !offered;
      if (offered) this.list().focus();
    },
    hold(stud) {
      // The red tip first, then the black one; a third press begins anew.
      const tip = this.tips % 2 ? "black" : "red";
      this.tips += 1;
      this.$root.querySelector("[data-meter]").open = true;
      this.$root.querySelector("#tool").value = "volts";
      this.$root.querySelector(`#${tip}`).value = stud;
      this.$root.querySelector("[data-told]").textContent = `${tip} tip held there`;
    },
    pressed(event) {
      const lug = event.target.closest("[data-lug]");
      if (lug) {
        this.hold(lug.dataset.lug);
        return;
      }
      const hit = event.target.closest(".hit");
      if (hit) this.offer(hit);
      else if (event.target.closest("[data-all]")) this.offer(null);
    },
    keyed(event) {
      const hit = event.target.closest(".hit");
      if (!hit || !["Enter", " "].includes(event.key)) return;
      event.preventDefault();
      this.offer(hit);
    },
  }));
});
