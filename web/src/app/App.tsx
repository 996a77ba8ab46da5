import { useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { useTranslation } from "react-i18next";
import { Route, Routes, useLocation } from "react-router";
import { stale, whenSignedOut } from "../api/client";
import { useSession } from "../api/hooks";
import { Entrance } from "../features/accounts/Entrance";
import { Await, Loading, Nothing } from "../ui/Parts";
import { RoomBoundary } from "./RoomBoundary";
import { Shell } from "./Shell";

const Today = lazy(() => import("../features/today/Today"));
const Jobs = lazy(() => import("../features/jobs/Jobs"));
const JobPage = lazy(() => import("../features/jobs/JobPage"));
const Plan = lazy(() => import("../features/plan/Plan"));
const Prep = lazy(() => import("../features/prep/Prep"));
const Bench = lazy(() => import("../features/bench/Bench"));
const Look = lazy(() => import("../features/look/Look"));
const Folder = lazy(() => import("../features/measure/folder/Folder"));
const JobDay = lazy(() => import("../features/day/JobDay"));
const Hours = lazy(() => import("../features/day/Hours"));
const Week = lazy(() => import("../features/week/Week"));
const Measure = lazy(() => import("../features/measure/Measure"));
const Yield = lazy(() => import("../features/yield/Yield"));
const Rework = lazy(() => import("../features/rework/Rework"));
const Methods = lazy(() => import("../features/methods/Methods"));
const Method = lazy(() => import("../features/methods/Method"));
const Edit = lazy(() => import("../features/methods/Edit"));
const Compare = lazy(() => import("../features/methods/Compare"));
const Limits = lazy(() => import("../features/limits/Limits"));
const Handover = lazy(() => import("../features/handover/Handover"));
const JobLabels = lazy(() => import("../features/handover/JobLabels"));
const JobHandover = lazy(() => import("../features/handover/JobHandover"));
const See = lazy(() => import("../features/shared/See"));
const Check = lazy(() => import("../features/shared/Check"));
const EndRecord = lazy(() => import("../features/handover/EndRecord"));
const Kit = lazy(() => import("../features/kit/Kit"));
const PickList = lazy(() => import("../features/kit/PickList"));
const Account = lazy(() => import("../features/accounts/Account"));
const About = lazy(() => import("../features/accounts/About"));
const Office = lazy(() => import("../features/accounts/Office"));

/** What anybody may open who has a link or a paper, signed in or not; all the rest is behind the entrance. */
export function App() {
  return (
    <Routes>
      <Route path="see" element={<Alone of={<See />} />} />
      <Route path="check/:code?" element={<Alone of={<Check />} />} />
      <Route path="*" element={<Rooms />} />
    </Routes>
  );
}

const Alone = ({ of }: { of: React.ReactNode }) => <Suspense fallback={<Loading />}>{of}</Suspense>;

function Rooms() {
  const { t } = useTranslation();
  const session = useSession();
  const client = useQueryClient();
  const room = useLocation().pathname;
  useEffect(() => whenSignedOut(() => stale(client, "/api/session")), [client]);
  return (
    <Await of={session}>
      {(s) =>
        s.signedIn && s.person ? (
          <Shell person={s.person} company={s.companyName ?? ""}>
            <RoomBoundary room={room}>
              <Suspense fallback={<Loading />}>
                {/* Who has to have one-time codes comes to nothing else before. */}
                <Routes location={s.codeNeeded ? "/account" : undefined}>
                  <Route index element={<Today />} />
                  <Route path="jobs" element={<Jobs />} />
                  <Route path="jobs/:jobId" element={<JobPage />} />
                  <Route path="prep/:endId" element={<Prep />} />
                  <Route path="handover" element={<Handover />} />
                  <Route path="handover/:endId" element={<EndRecord />} />
                  {s.person.role === "office" && <Route path="office/:part?" element={<Office />} />}
                  {s.person.role !== "viewer" && (
                    <>
                      <Route path="handover/job/:jobId" element={<JobHandover />} />
                      <Route path="handover/job/:jobId/labels" element={<JobLabels />} />
                      <Route path="plan/:jobId?" element={<Plan />} />
                      <Route path="bench/:jobId?/:placeId?/:endId?" element={<Bench />} />
                      <Route path="look/:endId?" element={<Look />} />
                      <Route path="measure/:endId?" element={<Measure />} />
                      <Route path="measure/folder/:jobId" element={<Folder />} />
                      <Route path="jobs/:jobId/day" element={<JobDay />} />
                      <Route path="hours" element={<Hours />} />
                      {s.person.role !== "installer" && <Route path="week" element={<Week />} />}
                      <Route path="rework" element={<Rework />} />
                      <Route path="yield" element={<Yield />} />
                      <Route path="methods" element={<Methods />} />
                      <Route path="methods/:procedureId/:version" element={<Method />} />
                      <Route path="methods/:procedureId/:version/edit" element={<Edit />} />
                      <Route path="methods/compare" element={<Compare />} />
                      <Route path="methods/limits" element={<Limits />} />
                      <Route path="kit" element={<Kit />} />
                      <Route path="kit/pick/:pickId" element={<PickList />} />
                    </>
                  )}
                  <Route path="account" element={<Account />} />
                  <Route path="about" element={<About />} />
                  <Route path="*" element={<Nothing text={t("app.notFound")} />} />
                </Routes>
              </Suspense>
            </RoomBoundary>
          </Shell>
        ) : (
          <Entrance needsSetup={s.needsSetup} />
        )
      }
    </Await>
  );
}
