import { useQuery } from "@tanstack/react-query";
import { post, type S } from "../../api/client";

type Seen = { findings: S["Finding"][] } | { seen: S["SeenFinding"][] };

/** What the ledger would say of this look, by the connector's class and the limits in force. */
export const useJudgedFace = (end: S["EndView"], look: Seen, enabled = true) =>
  useQuery({
    queryKey: ["face", end.endId, end.version, end.faceLimitSetId, look],
    queryFn: () => post<S["SeenGradeAnswer"]>(`/api/ends/${end.endId}/judge/face`, look),
    enabled,
    placeholderData: (before) => before,
  });
