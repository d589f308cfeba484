// The Yard: the slips for a new rig.
"use strict";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("yard", () => ({
    init() {
      const zone = this.$refs.zone;
      if (zone.value === "UTC") zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC";
    },
    open() {
      this.$refs.slip.hidden = false;
      this.$refs.slip.querySelector("input[name=name]").focus();
    },
    openFile() {
      this.$refs.file.hidden = this.$refs.archive.hidden = false;
      this.$refs.file.querySelector("input[type=file]").focus();
    },
    close() {
      this.$refs.slip.hidden = true;
      this.$refs.new.focus();
    },
  }));
});
