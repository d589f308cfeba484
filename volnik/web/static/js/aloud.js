// A sentence said aloud by a voice this device has itself; where it has none, a tone, and a buzz for bad
// news. Resolves once it was heard.
"use strict";

(() => {
  const TONES = { good: [660, 880], bad: [196, 165], "": [523] }; // [Hz], one after the other
  const NOTE_S = 0.16;
  const LONGEST_MS = 6000; // a voice that never ends is not waited for

  const wait = (time_ms) =>
    new Promise((done) => {
      setTimeout(done, time_ms);
    });

  function voice() {
    const voices = window.speechSynthesis ? window.speechSynthesis.getVoices() : [];
    const own = voices.filter((known) => known.localService);
    return own.find((known) => known.lang.startsWith("en")) || own[0];
  }

  function say(words, by) {
    const said = new SpeechSynthesisUtterance(words);
    said.voice = by;
    return new Promise((done) => {
      said.onend = said.onerror = done;
      window.speechSynthesis.cancel();
      window.speechSynthesis.speak(said);
    });
  }

  function sound(tone) {
    const notes = TONES[tone] || TONES[""];
    if (tone === "bad" && navigator.vibrate) navigator.vibrate([250, 120, 250]);
    const Sound = window.AudioContext;
    if (!Sound) return wait(notes.length * NOTE_S * 1000);
    const context = new Sound();
    notes.forEach((pitch_hz, at) => {
      const note = context.createOscillator();
      note.frequency.value = pitch_hz;
      note.connect(context.destination);
      note.start(context.currentTime + at * NOTE_S);
      note.stop(context.currentTime + (at + 1) * NOTE_S);
    });
    return wait(notes.length * NOTE_S * 1000).then(() => context.close());
  }

  window.volnik.aloud = (words, tone) => {
    const by = voice();
    return Promise.race([by ? say(words, by) : sound(tone), wait(LONGEST_MS)]);
  };
})();
