// Beside the sheet of a set-up: a patch that is picked leads to what is said of it, and a statement lights its patch.

const RIVER = "#0f6e74";

export class Statements {
  constructor(page) {
    this.page = page;
    page.view.boxing = false;
    for (const said of page.root.querySelectorAll("[data-patches]")) {
      const names = said.dataset.patches.split(" ").filter((name) => name && !name.includes("*"));
      for (const kind of ["pointerenter", "focusin"]) said.addEventListener(kind, () => this.light(names));
      for (const kind of ["pointerleave", "focusout"]) said.addEventListener(kind, () => this.light([]));
    }
  }

  light(names) {
    const { view } = this.page, { shape } = view;
    if (!shape) return;
    const chosen = shape.data.patches.flatMap(({ name }, k) => (names.includes(name) ? this.range(k) : []));
    shape.lay("picked", chosen.length && chosen.length < 200000 ? chosen : null, RIVER);
    view.later();
  }

  range(patch) {
    const { starts } = this.page.view.shape;
    return Array.from({ length: starts[patch + 1] - starts[patch] }, (_, k) => starts[patch] + k);
  }

  pick(hit) {
    if (!hit) { this.leave(); return; }
    const { root, view } = this.page, { name } = view.shape.data.patches[hit.patch];
    const said = [...root.querySelectorAll("[data-patches]")].find((entry) => entry.dataset.patches.split(" ").includes(name));
    const form = root.querySelector("form[hx-post$='/act/set_boundary']");
    if (!said && form) form.querySelector("[name=patch]").value = name; // nothing is said of it yet: say so here
    const field = (said ?? form)?.querySelector(said ? "input, select" : "[name=kind]");
    (said ?? form)?.scrollIntoView({ block: "center" });
    field?.focus({ preventScroll: true });
    this.light([name]);
  }

  boxed() { /* patches are picked one by one here */ }

  leave() { this.light([]); }
}
