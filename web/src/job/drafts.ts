import type { Work } from "../api/client";

/** The work of a draft over what is kept: a draft tells of no station behind the one that is looked at. */
export function drafted(draft: Work, kept: Work | undefined): Work {
  if (!kept) return draft;
  return {
    ...draft,
    layers: { ...kept.layers, ...draft.layers },
    laid: { ...kept.laid, ...draft.laid },
    goods: { ...kept.goods, ...draft.goods },
    sheets: { ...kept.sheets, ...draft.sheets },
    stations: kept.stations.map((one) => draft.stations.find(({ key }) => key === one.key) ?? one),
  };
}
