// The ways of particles that are to be drawn: those of all clouds whose box is ticked.

/** `draw` is given ways as {places: [x, y, (z) …]} whenever a box is ticked or cleared. */
export function watchWays(root, draw) {
  root.addEventListener("change", async ({ target }) => {
    if (!target.classList?.contains("particle-ways")) return;
    const read = async (box) => {
      const answer = await fetch(box.dataset.ways, { headers: { Accept: "application/json" } });
      return answer.ok ? (await answer.json()).ways : [];
    };
    const boxes = [...root.querySelectorAll(".particle-ways")].filter((box) => box.checked);
    const found = await Promise.all(boxes.map(read));
    draw(found.flat().map((places) => ({ places, closed: false })));
    root.dataset.ways = String(found.flat().length);
  });
}

/** Pieces of ways in space, each from a place to the next: six numbers. */
export function piecesOf(ways) {
  const found = [];
  for (const { places } of ways) for (let k = 0; k + 5 < places.length; k += 3) found.push(places.slice(k, k + 6));
  return found;
}
