// Pins on a photo: a press writes where it was into the form; the pin itself is the server's.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("pins", () => ({
    place(event) {
      const photo = this.$refs.photo.querySelector("svg");
      const at = new DOMPoint(event.clientX, event.clientY).matrixTransform(photo.getScreenCTM().inverse());
      const { width, height } = photo.viewBox.baseVal;
      const inside = (value) => Math.min(100, Math.max(0, value)).toFixed(1);
      this.$refs.x.value = inside((100 * at.x) / width);
      this.$refs.y.value = inside((100 * at.y) / height);
      let mark = photo.querySelector(".placing");
      if (!mark) {
        mark = document.createElementNS(photo.namespaceURI, "circle");
        mark.setAttribute("class", "placing");
        mark.setAttribute("r", String(width / 30));
        photo.append(mark);
      }
      mark.setAttribute("cx", String(at.x));
      mark.setAttribute("cy", String(at.y));
    },
  }));
});
