"""The finished solids of the newest results: asked of the worker step by step, on a thread of their own.

All that is known about solids belongs to that thread. The window, the quick rebuild and the worker's answers only put
messages into its box, so that nobody waits for anybody.
"""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial

import msgspec

from isotomon.design.bodies import names_by_id
from isotomon.errors import IsotomonError
from isotomon.evaluate.part_words import with_words
from isotomon.inspect.finished import with_finished
from isotomon.inspect.results import Quick
from isotomon.kernel.protocol import Built, Failed
from isotomon.solids.plan import Plan, Request, plan
from isotomon.solids.supervisor import Job, Outcome, Supervisor

log = logging.getLogger(__name__)


@dataclass(frozen=True, eq=False)
class Want:
    """Bodies are wanted of these results."""

    quick: Quick


@dataclass(frozen=True, eq=False)
class Took:
    """A step of a round has come to something."""

    step: Request
    round: int
    outcome: Outcome


@dataclass(frozen=True, eq=False)
class GiveUp:
    """What is under way is not wanted. `why`: what is said of it, if anything."""

    why: str = ""


@dataclass(frozen=True, eq=False)
class Told:
    """What is told of solids: called on their thread."""

    started: Callable[[str], None]
    """the key of the body that is shown"""
    progress: Callable[[int, int, str], None]
    """steps done, of how many, what is done now"""
    done: Callable[[str, Built | Failed], None]
    lost: Callable[[str], None]
    """the worker went, and is asked again; in words"""
    measured: Callable[[Quick], None]
    """results with the measures that had to wait for solids"""


class SolidBuilder:
    """Give it the newest results; it tells what comes of them."""

    def __init__(self, supervisor: Supervisor, limit: float, told: Told) -> None:
        self.supervisor, self.limit, self.told = supervisor, limit, told
        self.finished: dict[str, Built] = {}
        """Finished bodies by the ids of the design's bodies of their own, as last built. Replaced whole."""
        self._box: queue.SimpleQueue[Want | Took | GiveUp | None] = queue.SimpleQueue()
        self._jobs: list[Job] = []
        self._keys: set[str] = set()
        """Of the steps under way."""
        self._latest: tuple[Quick, Plan] | None = None
        self._known: dict[str, Outcome] = {}
        self._worker: int | None = None
        self._round = 0
        self._again = False
        """Whether the round under way is a second try, after the worker was lost."""
        self._thread = threading.Thread(target=self._run, name="solids", daemon=True)
        self._thread.start()

    def want(self, quick: Quick) -> None:
        """Have all bodies of these results built that are not built yet."""
        self._box.put(Want(quick))

    def give_up(self, why: str = "") -> None:
        """Give up the solids under way, if there are any."""
        self._box.put(GiveUp(why))

    def close(self) -> None:
        """End the thread; what is under way is not waited for."""
        self._box.put(None)

    def _run(self) -> None:
        while True:
            messages = [self._box.get()]
            while not self._box.empty():
                messages.append(self._box.get())
            if None in messages:
                self._stop()
                return
            newest = max((k for k, m in enumerate(messages) if isinstance(m, Want)), default=-1)
            for k, message in enumerate(messages):
                if isinstance(message, Want) and k < newest:
                    continue
                try:
                    self._take(message)
                except Exception as error:
                    # The thread must live on whatever one body does.
                    log.exception("solids failed")
                    self.told.done("", Failed(0, "error", f"the solids stopped unexpectedly ({type(error).__name__})"))

    def _take(self, message: Want | Took | GiveUp | None) -> None:
        if isinstance(message, Want):
            self._wanted(message.quick)
        elif isinstance(message, Took):
            self._took(message)
        elif isinstance(message, GiveUp):
            self._given_up(message.why)

    def _wanted(self, quick: Quick) -> None:
        try:
            wanted = plan(quick, self.limit)
        except IsotomonError:
            self._given_up("")
            return
        if self.supervisor.pid != self._worker:
            self._known, self._worker = {}, None
        bare = {step.key: step.bare for step in wanted.requests}
        keys = bare.keys()
        self._known = {
            k: o for k, o in self._known.items() if isinstance(o, Built) and k in keys and (bare[k] or not o.bare)
        }
        self._latest = (quick, wanted)
        if keys <= self._known.keys():
            self._stop()
            self._settled(quick, wanted)
        elif self._keys != set(keys):  # else what is under way will be told of for the newest results
            self._again = False
            self._ask(quick, wanted)

    def _ask(self, quick: Quick, wanted: Plan) -> None:
        self._stop()
        self._round += 1
        self._keys = {step.key for step in wanted.requests}
        self.told.started(wanted.finished.get(quick.result, ""))
        for step in [s for s in wanted.requests if s.key not in self._known]:
            try:
                self._jobs.append(self.supervisor.submit(step.asked, partial(self._tell, step, self._round)))
            except IsotomonError as error:  # a skin that cannot be fitted, say
                self._tell(step, self._round, Failed(0, "error", str(error)))
        self._report(wanted)

    def _tell(self, step: Request, number: int, outcome: Outcome) -> None:
        """A step has come to something. On any thread."""
        self._box.put(Took(step, number, outcome))

    def _took(self, message: Took) -> None:
        key, outcome = message.step.key, message.outcome
        if isinstance(outcome, Built):
            self._worker = self.supervisor.pid
        if message.round != self._round or self._latest is None or not self._keys:
            if isinstance(outcome, Built):
                self._known[key] = outcome
            return
        quick, wanted = self._latest
        if isinstance(outcome, Failed) and outcome.kind == "lost" and not self._again:
            self._again, self._known = True, {}
            self.told.lost(outcome.text)
            self._ask(quick, wanted)
            return
        if isinstance(outcome, Failed):
            said = with_words(outcome.text, outcome.culprit, names_by_id(quick.design))
            outcome = msgspec.structs.replace(outcome, text=f"{message.step.title}: {said}")
        self._known[key] = outcome
        if self._keys <= self._known.keys():
            self._keys, self._jobs = set(), []
            self._settled(quick, wanted)
        else:
            self._report(wanted)

    def _report(self, wanted: Plan) -> None:
        left = [step for step in wanted.requests if step.key not in self._known]
        if left:
            self.told.progress(len(wanted.requests) - len(left), len(wanted.requests), left[0].title)

    def _settled(self, quick: Quick, wanted: Plan) -> None:
        """Every step has come to something: what is finished is taken, whatever became of the others, once what these were before can be
        seen."""
        failed: dict[str, Failed] = {body: Failed(0, "error", text) for body, text in wanted.refused.items()}
        finished: dict[str, Built] = {}
        for body, key in wanted.finished.items():
            outcomes = [self._known[k] for k in wanted.by[body]]
            last = self._known[key]
            trouble = next((o for o in outcomes if isinstance(o, Failed)), None)
            if trouble is not None:
                failed[body] = trouble
            elif isinstance(last, Built):
                finished[body] = last
        asked = {step.key: step for step in wanted.requests}
        before = self._before(failed, wanted, asked)
        if unseen := [asked[key] for key, built in before.values() if built.bare]:
            self._keys = {*asked}
            for step in unseen:
                del self._known[step.key]
                self._jobs.append(self.supervisor.submit(step.ask, partial(self._tell, step, self._round)))
            return
        self.finished = finished
        stuck = [
            (asked[k].body, asked[k].step, o) for k, o in self._known.items() if k in asked and isinstance(o, Failed)
        ]
        self.told.measured(with_finished(quick, finished, stuck, {body: built for body, (_, built) in before.items()}))
        shown = quick.result
        nothing = Failed(0, "cancelled", "every body is set aside")
        self.told.done(wanted.finished.get(shown, ""), finished.get(shown) or failed.get(shown) or nothing)

    def _before(
        self, failed: Mapping[str, Failed], wanted: Plan, asked: Mapping[str, Request]
    ) -> dict[str, tuple[str, Built]]:
        """(key, what it was) of bodies that could not be finished, before the step that failed, as far as they came."""
        found = dict[str, tuple[str, Built]]()
        for body in failed:
            for key in wanted.by.get(body, ()):
                outcome = self._known.get(key)
                if asked[key].body == body and not isinstance(outcome, Built):
                    break
                if asked[key].body == body and isinstance(outcome, Built):
                    found[body] = key, outcome
        return found

    def _given_up(self, why: str) -> None:
        under_way, latest = bool(self._keys), self._latest
        self._stop()
        if under_way and latest is not None:
            quick, wanted = latest
            self.told.done(wanted.finished.get(quick.result, ""), Failed(0, "cancelled", why or "cancelled"))

    def _stop(self) -> None:
        """Cancel what is under way; the worker keeps what it has built."""
        jobs, self._jobs, self._keys = self._jobs, [], set()
        self._round += 1
        for job in reversed(jobs):
            self.supervisor.cancel(job)
