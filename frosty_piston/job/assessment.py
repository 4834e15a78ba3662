"""The assessment of a job: verdicts, suspects, next tests, conflicts, cautions, and what was assumed."""

from dataclasses import dataclass

from frosty_piston.core.cached import cached_property
from frosty_piston.core.glow import GlowLimits
from frosty_piston.core.starting import DIRECT, StartLimits
from frosty_piston.core.words import sentence, spoken
from frosty_piston.knowledge import Knowledge

from .afterwards.experience import NO_EXPERIENCE, Experience
from .circuit.isolation import Isolation, isolation_of
from .circuit.leaks import Leaks, leaks_of, not_on_the_list, on_circuit
from .entries import Action, Entry, Outcome, Reading, Warning_
from .judging.glow import reference
from .judging.instruments import Instruments
from .judging.readings import Readings
from .judging.result import Result, latest_of_each
from .judging.verdicts import Verdicts
from .repair.fit import missing_pieces
from .tape.fold import Job
from .tape.jobfile import JobFile
from .weighing.access import access_reached, states
from .weighing.addresses import Addresses
from .weighing.codes_seen import CodeSeen, codes_seen, cylinders_named
from .weighing.evidence import Evidence, gather
from .weighing.failed import Condemned, condemned, failed_cylinders
from .weighing.proof_evidence import with_proof
from .weighing.proposals import Proposals
from .weighing.suspicion import Done, Suspicion

FALLS_IN = "foreign_objects"


def job_of(file: JobFile) -> Job:
    return Job(
        file.head.id or "unnamed",
        file.head.title,
        file.vehicle,
        engine=file.engine,
        tape=file.entries,
        opened_at=file.head.opened_at,
    )


@dataclass(eq=False)
class Assessed:
    """A job thought through once; each part is worked out when it is first asked for."""

    job: Job
    knowledge: Knowledge
    experience: Experience = NO_EXPERIENCE

    @cached_property
    def judged(self) -> list[list[Result]]:
        """The verdicts of each time: the latest reading of a place wins within one time."""
        return [verdicts.all() for verdicts in self._verdicts]

    @cached_property
    def _verdicts(self) -> list[Verdicts]:
        return [Verdicts(self.job, self.knowledge, entries) for entries in self.job.times]

    @cached_property
    def readings(self) -> Readings:
        """Everything read on the job, whenever it was, as judges ask for it."""
        return Verdicts(self.job, self.knowledge, self.job.live).readings

    def verdicts_with(self, draft: Entry) -> list[Result]:
        """The verdicts of a test with an entry that is not written yet, as if it stood on the tape."""
        return Verdicts(self.job, self.knowledge, (*self.job.times[-1], draft)).of(draft.data.test)

    @property
    def diagnosis(self) -> list[Result]:
        """The verdicts on which the last repair rests: the latest of each place before it; all, while nothing
        is done."""
        if not self.job.repairs:
            return self.now
        return latest_of_each(self.judged[: self.after_time])

    @cached_property
    def after_time(self) -> int:
        """The number of the time in which the last repair was done already."""
        last = self.job.repairs[-1].id if self.job.repairs else None
        return next((n + 1 for n, act in enumerate(self.job.acts) if act.id == last), 0)

    @cached_property
    def after(self) -> list[Result]:
        """The verdicts of what was measured after the last repair."""
        return latest_of_each(self.judged[self.after_time :]) if self.job.repairs else []

    @cached_property
    def now(self) -> list[Result]:
        """The verdicts by the latest reading at each place."""
        return self.judged[0] if len(self.judged) == 1 else latest_of_each(self.judged)

    @cached_property
    def _condemned(self) -> dict[tuple[str, bool], Condemned]:
        return {}

    def condemned(self, repair: str, at_repair: bool = False) -> Condemned:
        """The cylinders that the tests of a repair condemn now; `at_repair`: by what the last repair rests
        on."""
        key = (repair, at_repair)
        if key not in self._condemned:
            verdicts = self.diagnosis if at_repair else self.now
            self._condemned[key] = condemned(self.knowledge, repair, verdicts)
        return self._condemned[key]

    def cylinders_about(self, repair: str, at_repair: bool = False) -> tuple[int, ...]:
        """The cylinders that a repair is about: those that its tests condemn, and while they condemn none,
        those that codes of what it cures name."""
        if bad := self.condemned(repair, at_repair).cylinders:
            return bad
        cures = set(self.knowledge.repairs[repair].cures)
        times = self.codes_of[:-1] if at_repair and self.job.repairs else self.codes_of
        bearing = [c for codes in times for c in codes if c.group and c.place == "bears"]
        speaking = [c for c in bearing if cures & set(self.knowledge.groups[c.group].speaks)]
        return cylinders_named(self.knowledge, speaking, self.job.cylinders)

    @cached_property
    def codes_of(self) -> list[list[CodeSeen]]:
        return [codes_seen(self.job, self.knowledge, self.experience, entries) for entries in self.job.times]

    @property
    def codes(self) -> list[CodeSeen]:
        """The codes of the job, sorted into what bears on the complaint, noise and parked."""
        return [c for codes in self.codes_of for c in codes]

    @cached_property
    def leaks_of(self) -> list[Leaks | None]:
        """What is known of the leaks of the vacuum circuit at each time; None without one."""
        return [leaks_of(self.job, self.knowledge, verdicts) for verdicts in self.judged]

    @cached_property
    def isolation(self) -> Isolation | None:
        """Where the search for a leak of the circuit stands now; None without one."""
        leaks = self.leaks_of[-1]
        return isolation_of(self.job, self.knowledge, leaks, self.suspicion) if leaks else None

    @cached_property
    def course(self) -> list[Suspicion]:
        """What was believed at the end of each time, by all that was known until then."""
        suspicions: list[Suspicion] = []
        for number in range(len(self.job.times)):
            circuit = self.leaks_of[number]
            verdicts = [
                v for v in self.judged[number] if not on_circuit(circuit.leaking if circuit else None, v)
            ]
            more = [
                *(circuit.evidence if circuit else ()),
                *(not_on_the_list(self.job, self.knowledge) if number == 0 else ()),
            ]
            evidence = gather(
                self.job,
                self.knowledge,
                number,
                verdicts=verdicts,
                codes=self.codes_of[number],
                experience=self.experience,
                more=more,
            )
            before, done = (suspicions[-1], self.done(number - 1)) if suspicions else (None, None)
            if done:
                evidence = with_proof(self.job, self.knowledge, number, evidence)
            suspicions.append(Suspicion(self.job, self.knowledge, evidence, before, done))
        return suspicions

    def done(self, number: int) -> Done:
        """What an act took away. A family is cured only when every cylinder that had failed is done."""
        act = self.job.acts[number]
        data = act.data
        knowledge = self.knowledge
        cures, takes = knowledge.taken(data.repair, data.action, data.option, data.temporary)
        says = f"{sentence(spoken(data.action))}: {data.what}" + (" (temporary)" if data.temporary else "")
        if data.temporary and self._goes_round(act):
            return Done(act, f"{says}; it goes round the fault, which stays", (), takes)
        failed = failed_cylinders(self.knowledge, self.judged[: number + 1], data.repair)
        if data.cylinders and failed and not failed <= set(data.cylinders):
            missing = ", ".join(map(str, sorted(failed - set(data.cylinders))))
            return Done(act, f"{says}; cylinder {missing} had failed too", (), takes)
        return Done(act, says, cures, takes)

    def _goes_round(self, act: Entry[Action]) -> bool:
        """Whether a temporary measure helps without mending: its option says so, or it is none of those that
        mend for a time."""
        options = [
            o for o in self.knowledge.options.values() if o.repair == act.data.repair and o.shape.temporary
        ]
        picked = self.knowledge.options.get(act.data.option or "")
        if picked is not None:
            return picked.shape.goes_round
        return all(o.shape.goes_round for o in options)

    @property
    def evidence(self) -> list[Evidence]:
        """All evidence of the job."""
        return self.suspicion.all_evidence

    @property
    def suspicion(self) -> Suspicion:
        """What may be wrong now."""
        return self.course[-1]

    @property
    def found(self) -> Suspicion:
        """What was believed when the last repair was done; what is believed now, while nothing is."""
        return self.course[self.after_time - 1] if self.job.repairs else self.suspicion

    def go_on_from(self, earlier: "Assessed") -> "Assessed":
        """Take over what was thought through before, when what came since moves nothing; answers itself."""
        same = (
            earlier.knowledge is self.knowledge
            and earlier.experience is self.experience
            and earlier.job.engine == self.job.engine
            and len(earlier.course) == len(self.course)
            and all(
                a.evidence == b.evidence and a.done == b.done
                for a, b in zip(earlier.course, self.course, strict=True)
            )
            and access_reached(earlier.job, self.knowledge) == access_reached(self.job, self.knowledge)
            and states(earlier.job, self.knowledge) == states(self.job, self.knowledge)
        )
        if same:
            self.course = earlier.course
            self.proposals = earlier.proposals
        return self

    @cached_property
    def proposals(self) -> Proposals:
        circuit = self.leaks_of[-1]
        return Proposals(
            self.job,
            self.knowledge,
            self.suspicion,
            experience=self.experience,
            verdicts=self.judged[-1],
            leaks=circuit,
            addresses=self.addresses,
        )

    @cached_property
    def addresses(self) -> Addresses:
        """Where the faults are that can be at many things, by all that was read."""
        return Addresses(self.job, self.knowledge, self.codes, self.now)

    @cached_property
    def cautions(self) -> tuple[str, ...]:
        """The cautions of the complaint first, then those of what was found on the way, then those of the
        three tests that stand first."""
        ids = [
            caution
            for symptom, entry in self.job.symptoms.items()
            if entry.data.present
            for caution in self.knowledge.symptoms[symptom].cautions
        ]
        ids += [c for name in self.job.contexts for c in self.knowledge.contexts[name].cautions]
        ids += [
            c
            for verdict in self.diagnosis
            if verdict.judgement.verdict == "failed"
            for c in self.knowledge.tests[verdict.test].if_failed
        ]
        ids += [FALLS_IN] if missing_pieces(self.job) else []
        stops = [x.data.text.lower() for x in self.job.of(Warning_) if x.data.urgency == "stop"]
        ids += [
            name
            for name, shape in self.knowledge.cautions.items()
            if any(word in text for word in shape.named_by for text in stops)
        ]
        ids += [c for n in self.proposals.top(3) for c in n.cautions]
        return tuple(dict.fromkeys(ids))

    @cached_property
    def assumed(self) -> tuple[str, ...]:
        """What the figures rest on that nobody wrote down."""
        engine = self.job.engine
        names = []
        limits = self.readings.limits(StartLimits)
        tests = {x.data.test for x in self.job.of(Reading, Outcome)}
        if engine.cylinders is None:
            names.append("4 cylinders (not on the engine card)")
        if engine.combustion is None:
            names.append("combustion direct (general)")
        if engine.compression_ratio is None:
            ratio = limits.combustion[engine.combustion or DIRECT].ratio
            names.append(f"compression_ratio {ratio:g} (general)")
        if engine.limit("crank_rpm") is None and "crank_speed" not in tests:
            names.append(f"cranking speed {limits.crank_rpm:g} rpm (general)")
        if tests & {"glow_resistance", "glow_current", "glow_lamp_test"}:
            names += self._assumed_glow(tests)
        if tests & {"battery_crank"} and self.job.condition("ambient") is None:
            names.append("20 °C for the battery (no ambient written down)")
        if engine.system_voltage is None and tests & {"battery_rest", "battery_crank"}:
            names.append("system_voltage 12 (general)")
        if "glow_relay" in tests and engine.glow_control is None:
            names.append("glow_control relay_module (not on the engine card)")
        return tuple(names)

    def _assumed_glow(self, tests: set[str]) -> list[str]:
        engine = self.job.engine
        instruments = Instruments(self.job)
        names = []
        if engine.glow not in self.readings.limits(GlowLimits).kinds:
            names.append("glow rod_12v (not on the engine card)")
        if engine.glow_nominal_ohm is None:
            ref = reference(self._verdicts[0].readings)
            names.append(f"glow_nominal_ohm {ref.ohm:g} ({ref.source})")
        if "glow_resistance" in tests:
            meter = instruments.ohmmeter()
            if not instruments.known("meter", "ohm"):
                names.append(
                    f"meter {meter.accuracy_percent:g} % + {meter.accuracy_digits:g} digits of"
                    f" {meter.resolution_ohm:g} Ω (general)"
                )
            if meter.lead_zero_ohm is None:
                names.append("lead zero not taken: up to 0.3 Ω may be in the leads (general)")
        if "glow_lamp_test" in tests and not instruments.lamp_w():
            names.append("test lamp 5 W (general)")
        return names
