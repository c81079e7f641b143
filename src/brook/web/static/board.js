// The board's table sorted by any requirement; the order is this window's own and survives a refresh.

const key = () => `sort ${document.body.dataset.slug}`;

export function sortable(root) {
  const table = root.querySelector(".board-table");
  if (!table) return;
  const buttons = [...table.querySelectorAll("button.sort")];
  const apply = () => {
    const [name, way] = (sessionStorage.getItem(key()) ?? "").split(" ");
    const rows = [...table.tBodies].sort((a, b) => {
      if (!name) return a.dataset.order - b.dataset.order;
      const [x, y] = [a, b].map((row) => row.querySelector(`[data-requirement="${CSS.escape(name)}"]`)?.dataset.value);
      if (!x || !y) return !x - !y || a.dataset.order - b.dataset.order;
      return way === "down" ? y - x : x - y;
    });
    table.append(...rows);
    for (const button of buttons) {
      const way_here = button.dataset.by === name ? way : "";
      button.closest("th").setAttribute("aria-sort", { up: "ascending", down: "descending" }[way_here] ?? "none");
    }
  };
  for (const button of buttons) button.addEventListener("click", () => {
    const [name, way] = (sessionStorage.getItem(key()) ?? "").split(" ");
    const next = name !== button.dataset.by ? "up" : way === "up" ? "down" : "";
    sessionStorage.setItem(key(), next ? `${button.dataset.by} ${next}` : "");
    apply();
  });
  apply();
}
