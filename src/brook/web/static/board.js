// Tables sorted by any requirement; the order is this window's own and survives a refresh. Each body of rows stays together.

export function sortable(root) {
  for (const table of root.querySelectorAll(".sorted-table")) sorts(table);
}

const MANY = 5; // variants, from more of which on operating points are folded away at first

/** Buttons that fold the operating points of variants away; what is folded is this window's own. */
export function folds(root) {
  const buttons = [...root.querySelectorAll(".points-fold")];
  for (const button of buttons) {
    const body = button.closest("tbody"), key = `fold ${document.body.dataset.slug} ${body.querySelector("tr").dataset.variant}`;
    const show = (open) => {
      body.classList.toggle("folded", !open);
      button.setAttribute("aria-expanded", open);
    };
    show((sessionStorage.getItem(key) ?? (buttons.length > MANY ? "no" : "yes")) === "yes");
    button.addEventListener("click", () => {
      const open = body.classList.contains("folded");
      sessionStorage.setItem(key, open ? "yes" : "no");
      show(open);
    });
  }
}

function sorts(table) {
  const key = `sort ${document.body.dataset.slug} ${table.id}`;
  const buttons = [...table.querySelectorAll("button.sort")];
  const apply = () => {
    const [name, way] = (sessionStorage.getItem(key) ?? "").split(" ");
    const rows = [...table.tBodies].sort((a, b) => {
      if (!name) return a.dataset.order - b.dataset.order;
      const [x, y] = [a, b].map((row) => row.querySelector(`[data-requirement="${CSS.escape(name)}"]`)?.dataset.value);
      if (!x || !y) return !x - !y || a.dataset.order - b.dataset.order;
      return way === "down" ? y - x : x - y;
    });
    for (const row of rows) table.insertBefore(row, table.tFoot);
    for (const button of buttons) {
      const way_here = button.dataset.by === name ? way : "";
      button.closest("th").setAttribute("aria-sort", { up: "ascending", down: "descending" }[way_here] ?? "none");
    }
  };
  for (const button of buttons) button.addEventListener("click", () => {
    const [name, way] = (sessionStorage.getItem(key) ?? "").split(" ");
    const next = name !== button.dataset.by ? "up" : way === "up" ? "down" : "";
    sessionStorage.setItem(key, next ? `${button.dataset.by} ${next}` : "");
    apply();
  });
  apply();
}
