// A short guided visit, offered once on the shelf. It can be left at any point and never comes back unasked.

const KEY = "brook visit";
const STEPS = [
  ["", "The board answers the question: variants as rows, requirements as columns. Hatched cells were made from inputs that have since changed."],
  ["/geometry", "The shape of a variant. Drag a handle or change a value in the statements; Ctrl Z takes a step back."],
  ["/set-up", "The set-up is a page of plain statements. Underlined values can be changed in place; the margin says what follows from them."],
  ["/run", "A run, live: the field, every requirement as a curve, and when it will likely end. It can be paused and go on with other settings."],
  ["/results", "Fields, streamlines, profiles along a line (p), forces and the ledger. A view worth keeping is a plate."],
  ["/compare", "Every variant in the same view with one colour range, two in one picture, curves of all in one plot. That is the round: / finds anything, ? lists the keys."],
];

const get = () => { try { return localStorage.getItem(KEY); } catch { return "done"; } };
const set = (value) => { try { localStorage.setItem(KEY, value); } catch { /* then it is offered again */ } };

export function guide() {
  const holder = document.getElementById("visit");
  const again = document.getElementById("visit-again");
  again?.addEventListener("click", () => { set("offer"); location.href = "/"; });
  const state = get();
  if (!holder || state === "done") return;
  const study = document.querySelector(".card-study a")?.getAttribute("href");
  if (state === null || state === "offer") {
    if (!study) return;
    show(holder, "New here? A visit of six short steps shows the way through a study.", [["Show me", () => { set(`0 ${study}`); location.href = study; }], ["No, thank you", () => leave(holder)]]);
    return;
  }
  const [number, base] = [Number(state.split(" ")[0]), state.split(" ")[1]];
  if (!location.pathname.startsWith(base) || !STEPS[number]) return;
  const here = location.pathname.replace(base, "").split("/").slice(0, 2).join("/");
  if (here !== STEPS[number][0]) return;
  const last = number === STEPS.length - 1;
  const next = [last ? "Done" : "Next", () => { if (last) leave(holder); else { set(`${number + 1} ${base}`); location.href = base + STEPS[number + 1][0]; } }];
  show(holder, STEPS[number][1], [next, ...(last ? [] : [["Leave the visit", () => leave(holder)]])], `${number + 1} of ${STEPS.length}`);
}

function leave(holder) { set("done"); holder.hidden = true; }

function show(holder, words, buttons, step = "") {
  const make = (name, text, className) => Object.assign(document.createElement(name), { textContent: text, className });
  const row = make("p", "", "buttons");
  buttons.forEach(([text, act], k) => {
    const button = make("button", text, k ? "plain" : "do");
    button.type = "button";
    button.addEventListener("click", act);
    row.append(button);
  });
  holder.replaceChildren(...(step ? [make("small", step, "quiet")] : []), make("p", words, ""), row);
  holder.hidden = false;
}
