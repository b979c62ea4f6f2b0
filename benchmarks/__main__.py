"""./nibble benchmark [NAME…]: all without names; “tuning” shows the half of the corpus that may be tuned on."""

import sys

from benchmarks import (
    areas,
    blends,
    carving,
    colours,
    contours,
    drafts,
    drawings,
    files,
    hostile,
    kills,
    laser,
    layouts,
    lines,
    makings,
    nesting,
    nodes,
    refusals,
    refused,
    rehearsals,
    revisions,
    round_goods,
    sheets,
    shop,
    strokes,
    table,
    tracing,
    verdicts,
    waits,
    warm_store,
    zoo,
)

BENCHMARKS = {
    "tracing": tracing.run, "makings": makings.run, "blends": blends.run, "colours": colours.run, "areas": areas.run,
    "centre-lines": strokes.run,
    "verdicts": verdicts.run, "drawings": drawings.run, "contours": contours.run, "lines": lines.run,
    "drafts": drafts.run, "layouts": layouts.run,
    "nesting": nesting.run, "files": files.run, "sheets": sheets.run, "table": table.run, "shop": shop.run,
    "revisions": revisions.run, "warm-store": warm_store.run,
    "refusals": refusals.run, "refused": refused.run, "hostile": hostile.run, "kills": kills.run,
    "rehearsals": rehearsals.run,
    "round-goods": round_goods.run, "carving": carving.run, "zoo": zoo.run, "laser": laser.run,
    "nodes": nodes.run, "waits": waits.run,
}  # fmt: skip
ALSO = {"tuning": tracing.tuning}

if __name__ == "__main__":
    known = {**BENCHMARKS, **ALSO}
    unknown = [name for name in sys.argv[1:] if name not in known]
    if unknown:
        sys.exit(f"There is no benchmark “{unknown[0]}”; there are {', '.join(known)}.")
    for name in sys.argv[1:] or BENCHMARKS:
        known[name]()
        print()
