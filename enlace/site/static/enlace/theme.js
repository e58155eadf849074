// The theme, before anything is drawn: the person's choice, else the system's.
if (!document.documentElement.dataset.bsTheme) {
  document.documentElement.dataset.bsTheme = matchMedia("(prefers-color-scheme: dark)").matches ? "dark" : "light";
}
document.addEventListener("alpine:init", () => {
  Alpine.data("theme", () => ({
    now: document.documentElement.dataset.bsTheme,
    get label() {
      return this.now === "dark" ? "Use the light theme" : "Use the dark theme";
    },
    turn() {
      this.now = this.now === "dark" ? "light" : "dark";
      document.documentElement.dataset.bsTheme = this.now;
      document.cookie = `theme=${this.now}; path=/; max-age=31536000; samesite=lax`;
    },
  }));
});
// What answers bring later has nothing of Alpine's in it: each cell of each window need not be looked at for that.
document.addEventListener("alpine:initialized", () => Alpine.stopObservingMutations());
