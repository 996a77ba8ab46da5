import { http } from "../../api/client";

/** What a plan is made of, apart from its ends. */
export type RowKind = "spaces" | "panels" | "cables" | "modules" | "cords" | "chains";

/** Adds a row as its form has it; the server names every field that it does not take. */
export const addRow = (jobId: string, kind: RowKind, values: object) =>
  http.POST(`/api/jobs/{jobId}/${kind}`, { params: { path: { jobId } }, body: values as never });

/** Changes a row; with the version that was seen, so that nobody's change is lost. */
export const changeRow = (jobId: string, kind: RowKind, id: string, values: object, version: number) =>
  http.PUT(`/api/jobs/{jobId}/${kind}/{id}`, {
    params: { path: { jobId, id } },
    body: { ...values, version } as never,
  });

export const removeRow = (jobId: string, what: string, id: string) =>
  http.DELETE("/api/jobs/{jobId}/plan/{what}/{id}", { params: { path: { jobId, what, id } } });
