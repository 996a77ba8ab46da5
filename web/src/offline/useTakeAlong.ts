import { useEffect } from "react";
import { get, type S } from "../api/client";
import { useSession } from "../api/hooks";

const MOST_JOBS = 6;

/** Takes the work at hand along: the jobs due next, their panels, ends and procedures are read once, so that a basement without signal has them. */
export function useTakeAlong() {
  const person = useSession().data?.person;
  useEffect(() => {
    if (!person || person.role === "viewer" || !navigator.onLine) return;
    let gone = false;
    const take = async () => {
      // As the screens ask for them, so that their questions are answered from what is kept.
      const jobs = await get<S["Job"][]>("/api/jobs/at-hand?limit=50");
      await Promise.all([get("/api/limits"), get("/api/choices"), get("/api/procedures")]);
      for (const { jobId } of jobs.slice(0, MOST_JOBS)) {
        if (gone) return;
        const [, loom] = await Promise.all([
          get<S["JobDetail"]>(`/api/jobs/${jobId}`),
          get<S["JobLoom"]>(`/api/jobs/${jobId}/loom`),
        ]);
        for (const placeId of new Set(loom.ends.map((e) => e.placeId))) await get(`/api/places/${placeId}/bench`);
      }
    };
    const wait = setTimeout(() => take().catch(() => {}), 1500);
    return () => {
      gone = true;
      clearTimeout(wait);
    };
  }, [person]);
}
