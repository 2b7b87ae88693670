"""The control port: what tests and the demo tell a simulated recorder, one JSON object a line."""

from __future__ import annotations

from typing import Any

from kumpel.standins.serving import Serving


def obey(serving: Serving, wish: dict[str, Any]) -> dict[str, Any]:
    """Do what a line says; raises KeyError, TypeError or ValueError for what cannot be done."""
    recorder = serving.recorder
    match wish.pop("do"):
        case "vanish":
            recorder.faults.vanish_after = int(wish.get("after_bytes", 0))
            if not recorder.faults.vanish_after:
                serving.vanish()
        case "come back":
            recorder.gone, recorder.faults.vanish_after = False, None
            serving.come_back()
        case "corrupt":
            recorder.faults.corrupt_reads = int(wish.get("reads", 1))
        case "slow":
            recorder.faults.bytes_per_s = wish.get("bytes_per_s")
        case "misremember":
            recorder.faults.misremembers = True
        case "garbage":
            recorder.faults.garbage = bytes.fromhex(wish["bytes"])
        case "set":
            recorder.state.update({k: wish[k] for k in wish if k in recorder.state})
            recorder.memory.save()
        case "press":
            recorder.pressed()
        case "mode":
            recorder.enter(wish["mode"], wish.get("for_s"), str(wish.get("press", "")))
        case "record":
            start, length = wish.pop("start"), float(wish.pop("length_s"))
            if recorder.device.keeps_one:
                recorder.memory.forget(list(recorder.state["sessions"]))
            return {"session": recorder.record(recorder.new_id(), start, length, wish)}
        case "state":
            known = {k: recorder.state[k] for k in ("clock_error_s", "setup", "slip", "names", "mode")}
            return known | {"sessions": len(recorder.state["sessions"])}
        case "forget":
            recorder.memory.forget(list(recorder.state["sessions"]))
        case other:
            raise ValueError(f"no command {other}")
    return {}
