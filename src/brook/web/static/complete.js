// Names complete while a formula is typed: arrows choose one, Enter writes it, Tab and Enter without a choice go on as ever.

const MOST = 6;

/** What may be meant by the word before the caret: where it begins and ends, and names that begin so, then names that have it within. */
export function offered(text, caret, names) {
  const start = caret - /[A-Za-z_][A-Za-z0-9_.]*$|$/.exec(text.slice(0, caret))[0].length;
  const word = text.slice(start, caret).toLowerCase();
  if (!word || /[0-9.]\s*$/.test(text.slice(0, start))) return { start, end: caret, words: [] }; // behind a number stands a unit
  const fits = (at) => names.filter((n) => n.toLowerCase() !== word && (at === 0 ? n.toLowerCase().startsWith(word) : n.toLowerCase().indexOf(word) > 0));
  return { start, end: caret, words: [...fits(0), ...fits(1)].slice(0, MOST) };
}

/** The text with a name in the place of the word, and where the caret stands then: within the brackets of a function. */
export function written(text, { start, end }, name) {
  const call = name.endsWith("()") && text[end] !== "(" ? name : name.replace("()", "");
  return { text: text.slice(0, start) + call + text.slice(end), caret: start + call.length - (call.endsWith("()") ? 1 : 0) };
}

export class Completion {
  constructor(root) {
    this.list = Object.assign(document.createElement("ul"), { className: "offers", id: "offers", hidden: true });
    this.list.setAttribute("role", "listbox");
    root.append(this.list);
    this.at = -1;
    document.addEventListener("input", ({ target }) => { if (target.matches?.("input[data-formula]")) this.look(target); });
    document.addEventListener("focusout", () => this.close());
    document.addEventListener("keydown", (event) => this.key(event), true);
  }

  look(field) {
    const names = JSON.parse(document.getElementById("formula-names")?.textContent ?? "[]");
    this.field = field;
    this.offer = offered(field.value, field.selectionStart, names);
    this.at = -1;
    this.draw();
  }

  draw() {
    const { words } = this.offer, box = this.field.getBoundingClientRect();
    this.list.replaceChildren(...words.map((word, k) => {
      const item = Object.assign(document.createElement("li"), { id: `offer-${k}`, textContent: word });
      item.setAttribute("role", "option");
      item.setAttribute("aria-selected", k === this.at);
      item.addEventListener("pointerdown", (event) => { event.preventDefault(); this.take(word); });
      return item;
    }));
    this.list.hidden = !words.length;
    Object.assign(this.list.style, { left: `${box.left}px`, top: `${box.bottom + 2}px` });
    if (this.at >= 0) this.field.setAttribute("aria-activedescendant", `offer-${this.at}`);
  }

  key(event) {
    if (this.list.hidden || event.target !== this.field) return;
    const { words } = this.offer, move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (move) { this.at = (this.at + move + words.length + (this.at < 0 && move < 0 ? 1 : 0)) % words.length; this.draw(); }
    else if (event.key === "Enter" && this.at >= 0) this.take(words[this.at]);
    else if (event.key === "Escape") this.close();
    else return;
    event.preventDefault();
    event.stopImmediatePropagation();
  }

  take(word) {
    const { text, caret } = written(this.field.value, this.offer, word);
    this.field.value = text;
    this.field.setSelectionRange(caret, caret);
    this.close();
  }

  close() {
    this.list.hidden = true;
    this.field?.removeAttribute("aria-activedescendant");
  }
}
