import { useEffect } from "react";
import { answered, http } from "../api/client";
import { AT_HAND, useSession } from "../api/hooks";

const MOST_JOBS = 6;

/** Takes the work at hand along: the jobs due next, their panels, ends and procedures are read once, so that a basement without signal has them. */
export function useTakeAlong() {
  const person = useSession().data?.person;
  useEffect(() => {
    if (!person || person.role === "viewer" || !navigator.onLine) return;
    let gone = false;
    const take = async () => {
      // As the screens ask for them, so that their questions are answered from what is kept.
      const ask = { params: { query: { limit: AT_HAND } } };
      const jobs = await answered(http.GET("/api/jobs/at-hand", ask));
      await Promise.all([
        http.GET("/api/limits"),
        http.GET("/api/choices"),
        http.GET("/api/procedures"),
        http.GET("/api/tools"),
      ]);
      for (const { jobId } of jobs.slice(0, MOST_JOBS)) {
        if (gone) return;
        const [, loom] = await Promise.all([
          http.GET("/api/jobs/{jobId}", { params: { path: { jobId } } }),
          answered(http.GET("/api/jobs/{jobId}/loom", { params: { path: { jobId } } })),
        ]);
        for (const placeId of new Set(loom.ends.map((e) => e.placeId)))
          await http.GET("/api/places/{placeId}/bench", { params: { path: { placeId } } });
      }
    };
    const wait = setTimeout(() => take().catch(() => {}), 1500);
    return () => {
      gone = true;
      clearTimeout(wait);
    };
  }, [person]);
}
