"""Which points prove an output, in what order, and what their readings say."""

from tensimeter.core.campaign.judging import (
    already_read,
    columns,
    corrected,
    outcome,
    proven_A,
    rates,
    shown_A,
)
from tensimeter.core.campaign.kinds import KINDS
from tensimeter.core.campaign.planning import plan, step_for
from tensimeter.core.campaign.step import OPEN, WALL, Capture, Facts, Finding, Outcome, Plan, Step, StepResult

__all__ = [
    "KINDS",
    "OPEN",
    "WALL",
    "Capture",
    "Facts",
    "Finding",
    "Outcome",
    "Plan",
    "Step",
    "StepResult",
    "already_read",
    "columns",
    "corrected",
    "outcome",
    "plan",
    "proven_A",
    "rates",
    "shown_A",
    "step_for",
]
