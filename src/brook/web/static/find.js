// The command field: `/` focuses it, words narrow the list, Enter goes there or does it.

const MOST = 12;

export class Find {
  constructor(input) {
    Object.assign(this, { input, list: document.getElementById("found"), entries: null, shown: [], at: 0 });
    input.addEventListener("focus", () => this.load());
    input.addEventListener("input", () => this.narrow());
    input.addEventListener("keydown", (event) => this.key(event));
    input.addEventListener("blur", () => setTimeout(() => this.close(), 150));
  }

  async load() {
    try {
      const answer = await fetch(this.input.dataset.from, { headers: { Accept: "application/json" } });
      this.entries = await answer.json();
    } catch { this.entries = []; }
    this.narrow();
  }

  narrow() {
    if (!this.entries) return;
    const typed = this.input.value.trim().toLowerCase(), words = typed.split(/\s+/).filter(Boolean);
    const rank = (entry) => {
      const text = entry.words.toLowerCase();
      if (!words.every((w) => text.includes(w) || entry.kind.includes(w))) return -1;
      return (text === typed ? 8 : 0) + (text.startsWith(typed) ? 4 : 0) + (words.every((w) => new RegExp(`(^|[^a-z])${w.replace(/[^a-z0-9]/g, ".")}`).test(text)) ? 2 : 0) + 1 / text.length;
    };
    this.shown = this.entries.map((entry) => ({ entry, rank: rank(entry) })).filter((e) => e.rank >= 0).sort((a, b) => (typed ? b.rank - a.rank : 0)).slice(0, MOST).map((e) => e.entry);
    this.at = 0;
    this.draw();
  }

  draw() {
    this.list.replaceChildren(...this.shown.map((entry, k) => {
      const item = Object.assign(document.createElement("li"), { id: `found-${k}`, role: "option" });
      item.setAttribute("aria-selected", k === this.at);
      item.append(Object.assign(document.createElement("span"), { textContent: entry.words }), Object.assign(document.createElement("small"), { textContent: entry.kind }));
      item.addEventListener("pointerdown", (event) => { event.preventDefault(); this.go(entry); });
      return item;
    }));
    if (!this.shown.length) this.list.append(Object.assign(document.createElement("li"), { className: "quiet", textContent: "Nothing of that name." }));
    const open = document.activeElement === this.input;
    this.list.hidden = !open;
    this.input.setAttribute("aria-expanded", open);
    if (this.shown.length) this.input.setAttribute("aria-activedescendant", `found-${this.at}`);
  }

  key(event) {
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (move && this.shown.length) { this.at = (this.at + move + this.shown.length) % this.shown.length; this.draw(); }
    else if (event.key === "Enter" && this.shown[this.at]) this.go(this.shown[this.at]);
    else if (event.key === "Escape") { this.input.value = ""; this.input.blur(); }
    else return;
    event.preventDefault();
  }

  go({ href, post, values }) {
    this.input.value = "";
    this.input.blur();
    this.close();
    if (!post) {
      const [path] = href.split("#");
      if (path === location.pathname && href.includes("#")) { location.hash = href.split("#")[1]; focusAddressed(); } else location.href = href;
      return;
    }
    const state = document.getElementById("page-state"), form = { ...values };
    for (const field of state?.querySelectorAll("input") ?? []) form[field.name] = field.value;
    htmx.ajax("POST", post, { values: form, target: "#stage", swap: "outerHTML" });
  }

  close() { this.list.hidden = true; this.input.setAttribute("aria-expanded", "false"); }
}

/** The value that an address points to gets the focus, and what hides it opens. */
export function focusAddressed() {
  const wanted = location.hash && document.getElementById(location.hash.slice(1));
  if (!wanted) return;
  wanted.closest("details")?.setAttribute("open", "");
  wanted.scrollIntoView({ block: "center" });
  if (wanted.matches("input, textarea, select")) { wanted.focus(); wanted.select?.(); }
}
