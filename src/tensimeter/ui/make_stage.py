"""A stage's widget, made when it is first gone to: the window is there sooner, and each is imported then."""

from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from tensimeter.core.guarded import guarded
from tensimeter.core.procedure.stages import STAGES
from tensimeter.ui.prove.run_control import RunControl
from tensimeter.ui.session import Session


def make_stage(stage_id: str, session: Session, control: RunControl) -> QWidget:
    """A stage; where it can't be shown, why, and the others stand all the same."""
    stage = next(s for s in STAGES if s.id == stage_id)

    def instead(sentence: str) -> QWidget:
        from tensimeter.ui.empty_stage import EmptyStage

        return EmptyStage(replace(stage, will_hold=sentence))

    return guarded(stage.name, lambda: _made(stage_id, session, control), instead)


def _made(stage_id: str, session: Session, control: RunControl) -> QWidget:
    if stage_id == "stock":
        from tensimeter.ui.stock.stage import StockStage

        return StockStage(session)
    if stage_id == "design":
        from tensimeter.ui.design.stage import DesignStage

        return DesignStage(session)
    if stage_id == "assemble":
        from tensimeter.ui.assemble.stage import AssembleStage

        return AssembleStage(session)
    if stage_id == "wake":
        from tensimeter.ui.wake.stage import WakeStage

        return WakeStage(session)
    if stage_id == "prove":
        from tensimeter.ui.prove.stage import ProveStage

        return ProveStage(session, control)
    if stage_id == "plate":
        from tensimeter.ui.plate.stage import PlateStage

        return PlateStage(session)
    if stage_id == "tune":
        from tensimeter.ui.tune.stage import TuneStage

        return TuneStage(session)
    from tensimeter.ui.empty_stage import EmptyStage

    return EmptyStage(next(s for s in STAGES if s.id == stage_id))
