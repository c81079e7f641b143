// The slider through the moments that a run in time kept, and its play button; the last place is the end of the run.

const PAUSE = 120; // ms between two pictures that are played, besides what they take

export class Moments {
  /** `show` draws the moment of a number as text, "" for the end, and may take its time; `begin` is called before it plays; `atEnd` says what is of the end. */
  constructor(holder, show, begin = () => {}, atEnd = "curves and tables are of the end") {
    Object.assign(this, { holder, show, begin, atEnd, times: JSON.parse(holder.dataset.times), playing: false });
    this.slider = holder.querySelector("#moment");
    this.button = holder.querySelector("#play");
    this.says = holder.querySelector("#moment-says");
    this.end = this.says.textContent;
    this.slider.addEventListener("input", () => { this.stop(); this.go(); });
    this.button.addEventListener("click", () => this.press());
  }

  /** Shows the moment that the slider stands at; of many in a row always the newest. */
  async go() {
    this.wanted = true;
    if (this.busy) return;
    this.busy = true;
    try {
      while (this.wanted) {
        this.wanted = false;
        const at = Number(this.slider.value), early = at < this.times.length;
        this.says.textContent = early ? `${Number(this.times[at].toPrecision(4))} s; ${this.atEnd}` : this.end;
        try { await this.show(early ? String(at).padStart(4, "0") : ""); } catch (error) { this.stop(); this.says.textContent = error.message; return; }
      }
    } finally { this.busy = false; }
  }

  press() { if (this.playing) this.stop(); else this.play(); }

  stop() { this.playing = false; this.button.setAttribute("aria-pressed", "false"); }

  async play() {
    this.playing = true;
    this.button.setAttribute("aria-pressed", "true");
    this.begin();
    while (this.playing && this.holder.isConnected) {
      this.slider.value = (Number(this.slider.value) + 1) % this.times.length;
      await this.go();
      await new Promise((done) => { setTimeout(done, PAUSE); });
    }
  }

  /** Only the end can be shown, and `why`; an empty one allows all again. */
  only(why) {
    this.slider.disabled = this.button.disabled = Boolean(why);
    if (!why) { if (Number(this.slider.value) === this.times.length) this.says.textContent = this.end; return; }
    this.stop();
    this.slider.value = this.times.length;
    this.says.textContent = `${this.end}; ${why}`;
  }
}
