"use strict";
// What Alpine holds; its CSP build wants every action by name.
document.addEventListener("alpine:init", () => {
  Alpine.data("foot", () => ({
    undo() {
      Legere.turn("undo");
    },
    keys() {
      Legere.showKeys();
    },
    night() {
      Legere.night();
    },
  }));
});
document.addEventListener("htmx:responseError", (event) =>
  Legere.say(event.detail.xhr.responseText || "the server did not answer"),
);
document.addEventListener("htmx:sendError", () => Legere.say("Legere does not answer: is it still running?"));
