// Plain canvases of curves stay in the memory of the page. They are drawn anew several times a second while a run is watched;
// handed to a graphics processor, or to what plays one where there is none, each time costs more than the drawing.

const inherited = HTMLCanvasElement.prototype.getContext;

HTMLCanvasElement.prototype.getContext = function (kind, options) {
  const field = this.classList.contains("field") || this.id === "two-field"; // filled by the painter, which has the GPU
  return inherited.call(this, kind, kind === "2d" && !field ? { willReadFrequently: true, ...options } : options);
};
