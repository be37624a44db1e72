"""Opening a data folder: the desk with all kinds of long work, and what is left of the last run taken up."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from roofline.stages import along, beginning, clean, finding, handoff, move, painting, plates, showing, ways
from roofline.store.clearing import clear, sweep_deliveries, sweep_parts
from roofline.store.hold import Hold
from roofline.store.orders import Order
from roofline.store.store import Store
from roofline.work import kept
from roofline.work.desk import Desk
from roofline.work.jobs import Kind, Tell

Work = Callable[[Desk, Order, Tell], object]


def kinds(desk: Desk) -> dict[str, Kind]:
    """The kinds of long work that can be ordered."""
    undone = partial(handoff.undone, desk)
    return {
        "begin": Kind(partial(beginning.run_begin, desk)),
        "layers_again": Kind(partial(beginning.run_again, desk)),
        "find_edges": Kind(partial(finding.run, desk), lane="hand"),
        "assume": Kind(partial(beginning.run_assume, desk), lane="hand"),
        "first_move": Kind(partial(beginning.run_first_move, desk)),
        "check": Kind(partial(move.run_check, desk), lane="hand"),
        "judge": Kind(partial(move.run_check, desk), lane="behind"),
        "bring_back": Kind(partial(move.run_bring_back, desk), lane="hand"),
        "ways": Kind(partial(ways.run, desk)),
        "along": Kind(partial(along.run, desk)),
        "paint_list": Kind(partial(painting.run, desk)),
        "merit": Kind(partial(plates.run_merit, desk)),
        "clean": Kind(partial(clean.clean, desk)),
        "clean_all": Kind(partial(clean.clean_all, desk)),
        "deliver": Kind(partial(handoff.render, desk), True, undone=undone),
        "export": Kind(partial(handoff.export, desk), True, undone=undone),
    }


def open_desk(folder: Path, ceiling: int = kept.CEILING) -> Desk:
    """The desk over a data folder, which no other program may have. Files that nothing knows are swept, and work that
    was broken off is gone on with.

    Raises FolderHeld before anything there is touched.
    """
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    hold = Hold(folder)
    try:
        return _opened(folder, hold, ceiling)
    except BaseException:
        hold.release()
        raise


def _opened(folder: Path, hold: Hold, ceiling: int) -> Desk:
    store = Store(folder)
    store.faults = showing.refused
    desk = Desk(store, kinds, ceiling, hold=hold)
    sweep_parts(desk.store)
    sweep_deliveries(desk.store)
    clear(desk.store)
    desk.jobs.go_on()
    return desk
