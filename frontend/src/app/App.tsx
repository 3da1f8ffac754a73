import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { BrowserRouter, Navigate, Route, Routes } from "react-router";
import { isSentAgain, isTrouble, waitOf } from "../api/again";
import { ApiFailure } from "../api/client";
import { TodayPage } from "../features/today/TodayPage";
import { Loading } from "../ui/Message";
import { askToSignIn, SessionGate } from "./session";
import { Shell } from "./Shell";

const RunPage = lazy(() => import("../features/run/RunPage").then((m) => ({ default: m.RunPage })));
const PlantPage = lazy(() => import("../features/plant/PlantPage").then((m) => ({ default: m.PlantPage })));
const InstrumentPage = lazy(() => import("../features/plant/InstrumentPage").then((m) => ({ default: m.InstrumentPage })));
const InstrumentForm = lazy(() => import("../features/plant/InstrumentForm").then((m) => ({ default: m.InstrumentForm })));
const ImportsPage = lazy(() => import("../features/plant/ImportPage").then((m) => ({ default: m.ImportsPage })));
const ImportPage = lazy(() => import("../features/plant/ImportPage").then((m) => ({ default: m.ImportPage })));
const AreasPage = lazy(() => import("../features/plant/AreasPage").then((m) => ({ default: m.AreasPage })));
const ScanPage = lazy(() => import("../features/plant/ScanPage").then((m) => ({ default: m.ScanPage })));
const PlanPage = lazy(() => import("../features/plan/PlanPage").then((m) => ({ default: m.PlanPage })));
const NewRoundPage = lazy(() => import("../features/plan/NewRoundPage").then((m) => ({ default: m.NewRoundPage })));
const YearPage = lazy(() => import("../features/plan/YearPage").then((m) => ({ default: m.YearPage })));
const RoundPlanPage = lazy(() => import("../features/plan/RoundPlanPage").then((m) => ({ default: m.RoundPlanPage })));
const KitItemPage = lazy(() => import("../features/kit/KitItemPage").then((m) => ({ default: m.KitItemPage })));
const NewKitPage = lazy(() => import("../features/kit/KitItemPage").then((m) => ({ default: m.NewKitPage })));
const KitPage = lazy(() => import("../features/kit/KitPage").then((m) => ({ default: m.KitPage })));
const HoldsPage = lazy(() => import("../features/holds/HoldsPage").then((m) => ({ default: m.HoldsPage })));
const WallPage = lazy(() => import("../features/holds/WallPage").then((m) => ({ default: m.WallPage })));
const SensorLifePage = lazy(() => import("../features/gas/SensorLifePage").then((m) => ({ default: m.SensorLifePage })));
const SensorBatchPage = lazy(() => import("../features/batch/SensorBatchPage").then((m) => ({ default: m.SensorBatchPage })));
const BatchPage = lazy(() => import("../features/batch/BatchPage").then((m) => ({ default: m.BatchPage })));
const ChecksPage = lazy(() => import("../features/checks/ChecksPage").then((m) => ({ default: m.ChecksPage })));
const CheckRoundPage = lazy(() => import("../features/checks/CheckRoundPage").then((m) => ({ default: m.CheckRoundPage })));
const CalculatorsPage = lazy(() => import("../features/calculators/CalculatorsPage").then((m) => ({ default: m.CalculatorsPage })));
const RecordsPage = lazy(() => import("../features/records/RecordsPage").then((m) => ({ default: m.RecordsPage })));
const FollowUpsPage = lazy(() => import("../features/followups/FollowUpsPage").then((m) => ({ default: m.FollowUpsPage })));
const FollowUpPage = lazy(() => import("../features/followups/FollowUpPage").then((m) => ({ default: m.FollowUpPage })));
const PeoplePage = lazy(() => import("../features/people/PeoplePage").then((m) => ({ default: m.PeoplePage })));
const FunctionsPage = lazy(() => import("../features/safety/FunctionsPage").then((m) => ({ default: m.FunctionsPage })));
const FunctionPage = lazy(() => import("../features/safety/FunctionPage").then((m) => ({ default: m.FunctionPage })));
const IntakePage = lazy(() => import("../features/intake/IntakePage").then((m) => ({ default: m.IntakePage })));
const OwnPage = lazy(() => import("../features/people/OwnPage").then((m) => ({ default: m.OwnPage })));
const PoliciesPage = lazy(() => import("../features/policies/PoliciesPage").then((m) => ({ default: m.PoliciesPage })));
const EvidencePage = lazy(() => import("../features/evidence/EvidencePage").then((m) => ({ default: m.EvidencePage })));
const NewFunctionPage = lazy(() => import("../features/safety/FunctionPage").then((m) => ({ default: m.NewFunctionPage })));
const RecordPage = lazy(() => import("../features/records/RecordPage").then((m) => ({ default: m.RecordPage })));

function watch(error: unknown) {
  if (error instanceof ApiFailure && error.status === 401) askToSignIn();
}

const queries = new QueryClient({
  queryCache: new QueryCache({ onError: watch }),
  mutationCache: new MutationCache({ onError: watch }),
  // The server may stand beside the device with no network at all, where a browser holds itself to be offline: that never stops an asking.
  defaultOptions: {
    mutations: { networkMode: "always", retry: isSentAgain, retryDelay: waitOf },
    queries: { networkMode: "always", retry: (count, error) => (isTrouble(error) || !(error instanceof ApiFailure && error.status >= 400)) && count < 2, staleTime: 2_000 },
  },
});

export function App() {
  return (
    <QueryClientProvider client={queries}>
      <BrowserRouter>
        <SessionGate>
          <Shell>
            <Suspense fallback={<Loading what="the page" />}>
              <Routes>
                <Route path="/" element={<TodayPage />} />
                <Route path="/run/:id" element={<RunPage />} />
                <Route path="/plant" element={<PlantPage />} />
                <Route path="/plant/new" element={<InstrumentForm />} />
                <Route path="/plan" element={<PlanPage />} />
                <Route path="/plan/new" element={<NewRoundPage />} />
                <Route path="/plan/year" element={<YearPage />} />
                <Route path="/plan/:id" element={<RoundPlanPage />} />
                <Route path="/scan" element={<ScanPage />} />
                <Route path="/plant/areas" element={<AreasPage />} />
                <Route path="/plant/imports" element={<ImportsPage />} />
                <Route path="/plant/imports/:id" element={<ImportPage />} />
                <Route path="/plant/:tag" element={<InstrumentPage />} />
                <Route path="/plant/:tag/sensor" element={<SensorLifePage />} />
                <Route path="/holds" element={<HoldsPage />} />
                <Route path="/wall" element={<WallPage />} />
                <Route path="/plant/:tag/edit" element={<InstrumentForm />} />
                <Route path="/kit/new/:group" element={<NewKitPage />} />
                <Route path="/kit/:group/:code" element={<KitItemPage />} />
                <Route path="/kit" element={<KitPage />} />
                <Route path="/batch" element={<BatchPage />} />
                <Route path="/batch/:id" element={<SensorBatchPage />} />
                <Route path="/checks" element={<ChecksPage />} />
                <Route path="/checks/:id" element={<CheckRoundPage />} />
                <Route path="/calculators" element={<CalculatorsPage />} />
                <Route path="/calculators/:name" element={<CalculatorsPage />} />
                <Route path="/follow-ups" element={<FollowUpsPage />} />
                <Route path="/follow-ups/:id" element={<FollowUpPage />} />
                <Route path="/policies" element={<PoliciesPage />} />
                <Route path="/evidence" element={<EvidencePage />} />
                <Route path="/own" element={<OwnPage />} />
                <Route path="/people" element={<PeoplePage />} />
                <Route path="/safety" element={<FunctionsPage />} />
                <Route path="/safety-new" element={<NewFunctionPage />} />
                <Route path="/safety/:code" element={<FunctionPage />} />
                <Route path="/intakes/:id" element={<IntakePage />} />
                <Route path="/records" element={<RecordsPage />} />
                <Route path="/records/:id" element={<RecordPage />} />
                <Route path="*" element={<Navigate to="/" replace />} />
              </Routes>
            </Suspense>
          </Shell>
        </SessionGate>
      </BrowserRouter>
    </QueryClientProvider>
  );
}
