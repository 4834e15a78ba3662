"""The assessment of a job: verdicts, suspects, next tests, conflicts, cautions, and what was assumed."""

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from frosty_piston.core.plugs import PLUG_KINDS
from frosty_piston.core.starting import GENERAL_CRANK_RPM, GENERAL_RATIO
from frosty_piston.knowledge import Knowledge, load_knowledge

from .access import access_reached, states
from .codes_seen import CodeSeen, codes_seen
from .evidence import Evidence, gather
from .instruments import Instruments
from .jobfile import JobFile
from .own import NOTHING_OWN, Own
from .proposals import Proposals
from .suspicion import Suspicion
from .tape import Job
from .verdict import Verdict
from .verdicts import Judge

FORMAT, VERSION = "frosty-piston/assessment", 1


def job_of(file: JobFile) -> Job:
    return Job(file.head.id or "unnamed", file.head.title, file.vehicle, file.engine, file.entries, file.head.opened_at)


@dataclass(frozen=True)
class Assessed:
    """A job thought through once; each part is worked out when it is first asked for."""

    job: Job
    knowledge: Knowledge
    own: Own = NOTHING_OWN

    @cached_property
    def diagnosis(self) -> list[Verdict]:
        """The verdicts the diagnosis rests on: everything measured before a repair."""
        return Judge(self.job, self.knowledge, self.job.rounds.diagnosis).all()

    @cached_property
    def after(self) -> list[Verdict]:
        """The verdicts of what was measured after the repair."""
        return Judge(self.job, self.knowledge, self.job.rounds.after).all()

    @cached_property
    def now(self) -> list[Verdict]:
        """The verdicts by the latest reading at each place."""
        if not self.job.repairs:
            return self.diagnosis
        return Judge(self.job, self.knowledge, self.job.live).all()

    @cached_property
    def evidence(self) -> list[Evidence]:
        return gather(self.job, self.knowledge, self.diagnosis, self.codes, self.own)

    @cached_property
    def codes(self) -> list[CodeSeen]:
        """The codes the diagnosis rests on, sorted into what bears on the complaint, noise and parked."""
        return codes_seen(self.job, self.knowledge, self.own, self.job.rounds.diagnosis)

    @cached_property
    def suspicion(self) -> Suspicion:
        return Suspicion(self.job, self.knowledge, self.evidence)

    def go_on_from(self, earlier: "Assessed") -> "Assessed":
        """Take over what was thought through before, when what came since moves nothing; answers itself."""
        same = (earlier.knowledge is self.knowledge and earlier.own is self.own and earlier.job.engine == self.job.engine and earlier.evidence == self.evidence
                and access_reached(earlier.job, self.knowledge) == access_reached(self.job, self.knowledge) and states(earlier.job, self.knowledge) == states(self.job, self.knowledge))
        if same:
            self.__dict__["suspicion"], self.__dict__["proposals"] = earlier.suspicion, earlier.proposals
        return self

    @cached_property
    def proposals(self) -> Proposals:
        return Proposals(self.job, self.knowledge, self.suspicion, self.evidence, self.own)

    @cached_property
    def cautions(self) -> tuple[str, ...]:
        """The cautions of the complaint first, then those of the three tests that stand first."""
        ids = [c for s, entry in self.job.symptoms.items() if entry.data.present for c in self.knowledge.symptoms[s].cautions]
        ids += [c for v in self.diagnosis if v.judgement.verdict == "failed" for c in self.knowledge.tests[v.test].if_failed]
        ids += [c for n in self.proposals.next_tests[:3] for c in n.cautions]
        return tuple(dict.fromkeys(ids))

    @cached_property
    def assumed(self) -> tuple[str, ...]:
        """What the figures rest on that nobody wrote down."""
        engine, found = self.job.engine, []
        tests = {x.data.test for x in self.job.of("reading", "outcome")}
        if engine.cylinders is None:
            found.append("4 cylinders (not on the engine card)")
        if engine.combustion is None:
            found.append("combustion direct (general)")
        if engine.compression_ratio is None:
            found.append(f"compression_ratio {GENERAL_RATIO[engine.combustion or 'direct']:g} (general)")
        if engine.limit("crank_rpm") is None and "crank_speed" not in tests:
            found.append(f"cranking speed {GENERAL_CRANK_RPM:g} rpm (general)")
        if tests & {"glow_resistance", "glow_current", "glow_lamp_test"}:
            found += self._assumed_glow(tests)
        if tests & {"battery_crank"} and self.job.condition("ambient") is None:
            found.append("20 degC for the battery (no ambient written down)")
        if engine.system_voltage is None and tests & {"battery_rest", "battery_crank"}:
            found.append("system_voltage 12 (general)")
        if "glow_relay" in tests and engine.glow_control is None:
            found.append("glow_control relay_module (not on the engine card)")
        return tuple(found)

    def _assumed_glow(self, tests: set[str]) -> list[str]:
        engine, instruments, found = self.job.engine, Instruments(self.job), []
        if engine.glow not in PLUG_KINDS:
            found.append("glow rod_12v (not on the engine card)")
        if engine.glow_nominal_ohm is None:
            ref = Judge(self.job, self.knowledge, self.job.rounds.diagnosis).reference()
            found.append(f"glow_nominal_ohm {ref.ohm:g} ({ref.source})")
        if "glow_resistance" in tests:
            meter = instruments.ohmmeter()
            if not instruments.known("meter", "ohm"):
                found.append(f"meter {meter.accuracy_percent:g} % + {meter.accuracy_digits:g} digits of {meter.resolution_ohm:g} ohm (general)")
            if meter.lead_zero_ohm is None:
                found.append("lead zero not taken: up to 0.3 ohm may be in the leads (general)")
        if "glow_lamp_test" in tests and not instruments.lamp_w():
            found.append("test lamp 5 W (general)")
        return found

    def as_json(self) -> dict[str, Any]:
        """The assessment in its open form."""
        s = self.suspicion
        return {
            "format": FORMAT, "version": VERSION,
            "verdicts": [{"test": v.test, "where": v.where, "verdict": v.judgement.verdict, "class": v.judgement.cls, "value": _rounded(v.judgement.value),
                          "unit": v.judgement.unit, "uncertainty": _rounded(v.judgement.uncertainty), "entries": list(v.entries),
                          "because": v.judgement.because} for v in self.now],
            "suspects": [{"fault": x.fault, "system": x.system or None, "probability": round(x.probability, 4), "for": _ids(x.speaks_for),
                          "against": _ids(x.speaks_against), "because": x.because} for x in s.suspects],
            "next_tests": [{"test": n.test, "where": n.where, "minutes": n.minutes, "access": list(n.access), "gain_bits": round(n.gain_bits, 4),
                            "because": n.because} for n in self.proposals.next_tests],
            "conflicts": [{"entries": list(c.entries), "because": c.because} for c in s.conflicts],
            "cautions": list(self.cautions),
            "assumed": list(self.assumed),
        }


def _ids(moved: Any) -> list[str]:
    return list(dict.fromkeys(i for m in moved for i in m.entries))


def _rounded(value: float | None) -> float | None:
    return None if value is None else float(f"{value:.6g}")


def assess(file: JobFile, knowledge: Knowledge | None = None) -> dict[str, Any]:
    """Assess a job file: the same JSON the command line prints."""
    return Assessed(job_of(file), knowledge or load_knowledge()).as_json()
