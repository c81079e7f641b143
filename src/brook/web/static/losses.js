// The walk from place to place where a mesh lost something of its shape.

export class Losses {
  /** The places that a page of a mesh names; what is cut shows them itself. */
  constructor(root, pictures, cut) {
    Object.assign(this, { root, pictures, buttons: [...root.querySelectorAll(".show-loss")], shown: -1 });
    if (!cut && pictures) for (const button of this.buttons) button.addEventListener("click", () => this.show(button.dataset));
  }

  next() {
    if (!this.buttons.length) return false;
    this.shown = (this.shown + 1) % this.buttons.length;
    this.buttons[this.shown].click();
    return true;
  }

  /** Looks at a place in the plane from near, cells coloured by their size. */
  async show({ measure, at, size, away }) {
    const [x, y] = at.split(",").map(Number), choice = this.root.querySelector("#quantity"), [view] = this.pictures.views;
    if ([...choice.options].some((o) => o.value === measure)) choice.value = measure;
    await this.pictures.show();
    view.overlays = [lostAt([x, y], Number(away))];
    this.pictures.look({ centre: [x, y], across: Math.max(30 * Number(size), 5 * Number(away)) });
    view.canvas.scrollIntoView({ block: "center" });
    view.canvas.focus({ preventScroll: true });
  }
}

/** A ring round a place of the shape that the mesh keeps away from, as wide as it does. */
export function lostAt(place, away) {
  return (view, pen) => {
    const [x, y] = view.pixel(place), [right] = view.pixel([place[0] + away, place[1]]), words = `lost: ${millimetres(away)} from the mesh`;
    pen.save();
    pen.strokeStyle = "#b4532a";
    pen.lineWidth = 2 * view.ratio;
    pen.setLineDash([6 * view.ratio, 4 * view.ratio]);
    pen.beginPath();
    pen.arc(x, y, Math.max(4 * view.ratio, right - x), 0, 7);
    pen.stroke();
    pen.fillStyle = "#b4532a";
    pen.beginPath();
    pen.arc(x, y, 4 * view.ratio, 0, 7);
    pen.fill();
    pen.font = `${12 * view.ratio}px Plex`;
    Object.assign(pen, { strokeStyle: "#fdfcf8", lineWidth: 4 * view.ratio, lineJoin: "round" }); // read on dark cells too
    pen.setLineDash([]);
    pen.strokeText(words, x + 9 * view.ratio, y - 8 * view.ratio);
    pen.fillText(words, x + 9 * view.ratio, y - 8 * view.ratio);
    pen.restore();
  };
}

export const millimetres = (metres) => `${Number((1000 * metres).toPrecision(4))} mm`;
