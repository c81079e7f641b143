"""The answer to a study: which variants hold every requirement, and which of them is best."""

from __future__ import annotations

from dataclasses import dataclass, field

from brook.core.results import Judgement


@dataclass(frozen=True)
class Standing:
    """A variant with, per requirement name, its value and how it was judged; `complete` when all are up to date and converged, `ended` when
    they are up to date and its run has ended without that. Over operating points the values are the `worst` ones, with where that is.
    `halves` of bands are those of values that have one."""

    variant: str
    title: str
    complete: bool
    values: dict[str, tuple[float, Judgement]]
    ended: bool = False
    worst: dict[str, str] = field(default_factory=dict)
    halves: dict[str, float] = field(default_factory=dict)

    @property
    def holds(self) -> bool:
        """Whether every requirement was read and none is failed or undecided."""
        return self.complete and all(j.verdict not in ("fail", "undecided") for _, j in self.values.values())

    @property
    def surely_fails(self) -> bool:
        """Whether some requirement is failed by more than its band."""
        return any(name in self.halves for name in self.failures)

    @property
    def is_decided(self) -> bool:
        """Whether it is known how it stands: all of it, or that it fails."""
        return self.complete or self.surely_fails

    @property
    def undecided(self) -> list[str]:
        """The requirements whose limits lie within their bands, of one that fails none."""
        return [] if self.failures else [name for name, (_, j) in self.values.items() if j.verdict == "undecided"]

    def is_apart(self, other: Standing, name: str) -> bool:
        """Whether the values of a requirement differ by more than their bands; what has no band is taken as it stands."""
        between = abs(self.values[name][0] - other.values[name][0])
        return between > self.halves.get(name, 0.0) + other.halves.get(name, 0.0)

    @property
    def failures(self) -> list[str]:
        """The requirements that are failed."""
        return [name for name, (_, j) in self.values.items() if j.verdict == "fail"]


def folded(
    title: str, variant: str, cases: list[Standing], points: list[str], wishes: list[tuple[str, str]]
) -> Standing:
    """A variant over its operating points, whose titles are in the order of its cases: of each requirement the worst, by its margin or as a wish has it; `worst` says at which point that is."""
    largest = {name: kind == "smallest" for name, kind in wishes}
    values: dict[str, tuple[float, Judgement]] = {}
    worst: dict[str, str] = {}
    halves: dict[str, float] = {}
    for name in dict.fromkeys(name for case in cases for name in case.values):
        there = [
            (case.values[name], point, case.halves.get(name))
            for case, point in zip(cases, points, strict=True)
            if name in case.values
        ]

        def goodness(found: tuple[tuple[float, Judgement], str, float | None], name: str = name) -> tuple[int, float]:
            (value, judgement), *_ = found
            if judgement.margin is not None:
                return WORSE.get(judgement.verdict, len(WORSE)), judgement.margin
            return 0, -value if largest.get(name, True) else value

        values[name], worst[name], half = min(there, key=goodness)
        if half is not None:
            halves[name] = half
    complete = all(case.complete for case in cases)
    ended = not complete and all(case.complete or case.ended for case in cases)
    return Standing(variant, title, complete, values, ended, worst, halves)


WORSE = {"fail": 0, "undecided": 1}
MOST_NAMED = 3
BETTER = {"smallest": -1, "at_most": -1, "largest": 1, "at_least": 1}  # which way a limit wants a value


def ranks(values: list[float | None], way: int) -> list[int | None]:
    """The rank of each value from 1 on, where larger (1) or smaller (-1) ones are better; those alike share one. None has none."""
    return [None if v is None else 1 + sum(w is not None and way * w > way * v for w in values) for v in values]


def unbeaten(points: list[tuple[float, float]], ways: tuple[int, int]) -> list[bool]:
    """Which of these nothing beats: no other one is as good in both and better in one."""
    good = [(ways[0] * x, ways[1] * y) for x, y in points]
    return [not any(a >= x and b >= y and (a, b) != (x, y) for a, b in good) for x, y in good]


def best_of(standings: list[Standing], wishes: list[tuple[str, str]]) -> Standing | None:
    """The best of the variants that hold every limit, or None.

    `wishes` are (requirement, `smallest` or `largest`) in the order of their weight; without any,
    the one whose least margin is largest is best.
    """
    holding = [s for s in standings if s.holds and s.values]
    if not holding:
        return None

    def rank(standing: Standing) -> tuple[float, ...]:
        wanted = [
            standing.values[name][0] * (1 if kind == "smallest" else -1)
            for name, kind in wishes
            if name in standing.values
        ]
        margins = [j.margin for _, j in standing.values.values() if j.margin is not None]
        return (*wanted, -min(margins, default=0.0))

    return min(holding, key=rank)


def runner_up(standings: list[Standing], best: Standing, wishes: list[tuple[str, str]]) -> Standing | None:
    """The best of the others that hold every limit, or None."""
    return best_of([s for s in standings if s.variant != best.variant], wishes)


def rivals(standings: list[Standing], best: Standing, wish: str) -> list[Standing]:
    """The others that hold every limit and cannot be told apart from the best by what is wished for."""
    there = [s for s in standings if s.holds and s.variant != best.variant and wish in s.values and wish in best.values]
    return [s for s in there if not best.is_apart(s, wish)]


def sentence(standings: list[Standing], best: Standing | None, titles: dict[str, str], wish: str = "") -> str:
    """The answer in one or two sentences; `titles` of requirements by name, and what is wished for first."""
    if not standings:
        return "There is no variant yet."
    waiting = [s for s in standings if not s.is_decided]
    open_ones = [s for s in standings if s.complete and s.undecided]
    if open_ones and len(waiting) < len(standings):
        return _with_undecided(standings, best, titles, open_ones, waiting)
    if len(waiting) == len(standings):
        return _without_convergence(standings, titles)
    rest = "" if not waiting else f" {len(waiting)} of {len(standings)} are not up to date or not converged."
    if best is None:
        failing = {n for s in standings if s.is_decided for n in s.failures}
        names = ", ".join(titles[n].lower() for n in titles if n in failing)
        which = "No variant" if not waiting else "No variant that is up to date"
        return f"{which} holds every limit; they fail on {names}.{rest}" if failing else f"No answer yet.{rest}"
    others = [s for s in standings if s.holds and s.variant != best.variant]
    if waiting:
        of = f"does best of {len(others) + 1} that do" if others else "is the only one that does"
        return f"Best so far: “{best.title}” holds every limit and {of}.{rest}"
    if others and (close := rivals(standings, best, wish)):
        who = [f"“{s.title}”" for s in (best, *close[:MOST_NAMED])]
        more = f" and {len(close) - MOST_NAMED} more" if len(close) > MOST_NAMED else ""
        all_of_them = f"{', '.join(who)}{more}" if more else f"{', '.join(who[:-1])} and {who[-1]}"
        in_what = titles.get(wish, wish).lower()
        return f"{all_of_them} hold every limit and cannot be told apart in {in_what}, where “{best.title}” leads."
    if others:
        return f"“{best.title}” holds every limit and does best of {len(others) + 1} that do."
    return f"Only “{best.title}” holds every limit."


def _with_undecided(
    standings: list[Standing], best: Standing | None, titles: dict[str, str], open_ones: list[Standing], waiting: list[Standing]
) -> str:  # fmt: skip
    """What can be said where limits lie within bands."""
    told = []
    for s in open_ones[:MOST_NAMED]:
        told.append(f"“{s.title}” on {', '.join(titles[n].lower() for n in titles if n in s.undecided)}")
    more = f" and {len(open_ones) - MOST_NAMED} more" if len(open_ones) > MOST_NAMED else ""
    rest = f" {len(waiting)} of {len(standings)} are not up to date or not converged." if waiting else ""
    first = f"Of those decided, “{best.title}” does best." if best is not None else "Undecided as yet."
    return f"{first} Bands cross limits of {'; '.join(told)}{more}: finer meshes decide.{rest}"


def _without_convergence(standings: list[Standing], titles: dict[str, str]) -> str:
    """What can be said where no run has converged: what those that ended come to as they stand."""
    ended = [s for s in standings if s.ended]
    if not ended:
        return "No variant is up to date and converged; bring them up to date."
    left = len(standings) - len(ended)
    rest = f" {left} of {len(standings)} are not up to date." if left else ""
    hold = [f"“{s.title}”" for s in ended if s.values and not s.failures]
    if hold:
        as_they_are = f" As they ended, {', '.join(hold)} {'hold' if len(hold) > 1 else 'holds'} every limit."
    else:
        failing = {n for s in ended for n in s.failures}
        names = ", ".join(titles[n].lower() for n in titles if n in failing)
        as_they_are = f" As they ended, none holds every limit; they fail on {names}." if names else ""
    return f"No run converged, so there is no answer yet; the run pages say why.{as_they_are}{rest}"
