import { api, type S } from "../../api/client";

type Seen = { findings: S["Finding"][] } | { seen: S["SeenFinding"][] };

/** What the ledger would say of this look, by the connector's class and the limits in force. */
export const useJudgedFace = (end: S["EndView"], look: Seen, enabled = true) =>
  api.useQuery(
    "post",
    "/api/ends/{endId}/judge/face",
    { params: { path: { endId: end.endId } }, body: look },
    { enabled, placeholderData: (before: S["SeenGradeAnswer"] | undefined) => before },
  );
