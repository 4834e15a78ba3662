"""What the API answers, as models for its description; the job file and its entries have their own schema."""

from typing import Any

from pydantic import BaseModel, ConfigDict, Field


class FaultSaid(BaseModel):
    """One thing that was wrong with what was sent."""

    path: str = Field(description="where in what was sent", examples=["entries[0].data.unit"])
    says: str = Field(description="what is wrong, and what is allowed")


class Failure(BaseModel):
    """Why a request was not answered; nothing was kept."""

    error: str = Field(description="one sentence")
    faults: list[FaultSaid] = []


class JobAdded(BaseModel):
    id: str = Field(description="the id of the job", examples=["snow-cat-4"])


class Written(BaseModel):
    """Which of the entries that were sent are new; a known one is not written again."""

    written: list[str] = Field(description="ids of the new entries")
    known: list[str] = Field(description="ids that were there already, with the same content")


class Assessment(BaseModel):
    """An assessed job. `docs/job-file.md` says what each field holds."""

    model_config = ConfigDict(extra="forbid")

    format: str
    version: int
    verdicts: list[dict[str, Any]] = Field(description="what each reading and outcome is worth")
    suspects: list[dict[str, Any]] = Field(description="faults with their odds and reasons, likeliest first")
    sound: float = Field(ge=0, le=1, description="the chance that nothing is wrong")
    next_tests: list[dict[str, Any]] = Field(description="the tests that are worth most, best first")
    conflicts: list[dict[str, Any]]
    cautions: list[str]
    next_step: dict[str, Any] = Field(description="the one next step, with where it is done")
    options: list[dict[str, Any]] = Field(description="what can be done, cheapest expected first")
    proof: dict[str, Any] = Field(description="how far a repair is proven, and what is missing")
    assumed: list[str] = Field(description="figures that were taken in general")
