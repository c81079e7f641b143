// Plain canvases stay in the memory of the page. They are drawn anew several times a second while a run is watched;
// handed to a graphics processor, or to what plays one where there is none, each time costs more than the drawing.

const inherited = HTMLCanvasElement.prototype.getContext;

HTMLCanvasElement.prototype.getContext = function (kind, options) {
  return inherited.call(this, kind, kind === "2d" ? { willReadFrequently: true, ...options } : options);
};
