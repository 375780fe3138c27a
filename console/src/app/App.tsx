// The whole: the query cache, who is signed in, and the places.
import {
  MutationCache,
  QueryCache,
  QueryClient,
  QueryClientProvider,
  useQuery,
} from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { BrowserRouter, Link, Navigate, Outlet, Route, Routes, useLocation } from "react-router";
import { api, ask, HubError } from "../api/client";
import { keys } from "../api/queries";
import { ClaimPage } from "../features/account/ClaimPage";
import { SignInAgain } from "../features/account/SignInAgain";
import { SignInPage } from "../features/account/SignInPage";
import { AutomationPage } from "../features/automations/AutomationPage";
import { AutomationsPage } from "../features/automations/AutomationsPage";
import { DashboardPage } from "../features/dashboards/DashboardPage";
import { FirstStepsPage } from "../features/house/FirstSteps";
import { HousePage } from "../features/house/HousePage";
import { JournalPage } from "../features/journal/JournalPage";
import { AdmitPage } from "../features/nodes/AdmitPage";
import { NodePage } from "../features/nodes/NodePage";
import { NodesPage } from "../features/nodes/NodesPage";
import { ReadingsPage } from "../features/readings/ReadingsPage";
import { RoomPage } from "../features/room/RoomPage";
import { SettingsPage } from "../features/settings/SettingsPage";
import { Failure, Page, Shape } from "../ui/parts";
import { visible } from "../ui/visible";
import { Boundary } from "./Boundary";
import { whenIdle } from "./idle";
import { fetchPalette, Shell } from "./Shell";

// The chart library comes with the page that draws one, and with nothing before it.
const fetchEntityPage = () => import("../features/entity/EntityPage");
const EntityPage = lazy(() => fetchEntityPage().then((m) => ({ default: m.EntityPage })));
const fetchComparePage = () => import("../features/compare/ComparePage");
const ComparePage = lazy(() => fetchComparePage().then((m) => ({ default: m.ComparePage })));
const fetchReviewPage = () => import("../features/review/ReviewPage");
const ReviewPage = lazy(() => fetchReviewPage().then((m) => ({ default: m.ReviewPage })));
const WallPage = lazy(() =>
  import("../features/wall/WallPage").then((m) => ({ default: m.WallPage })),
);
// Seldom needed once the house is set up.
const fetchMessagesPage = () => import("../features/messages/MessagesPage");
const MessagesPage = lazy(() => fetchMessagesPage().then((m) => ({ default: m.MessagesPage })));
// They are fetched while nothing else is, so that they are there when the hub is not.
whenIdle(fetchEntityPage, fetchComparePage, fetchReviewPage, fetchMessagesPage, fetchPalette);

function onError(error: Error) {
  if (error instanceof HubError && error.status === 401) cache.setQueryData(keys.session, null);
}

const cache: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError }),
  mutationCache: new MutationCache({ onError }),
  defaultOptions: {
    // The hub is in the house: whether this device is "online" says nothing about it. And
    // what cannot be sent now is said and dropped: a switch that acts later frightens.
    mutations: { networkMode: "always" },
    queries: {
      networkMode: "always",
      staleTime: 10_000,
      retry: (count, error) => !(error instanceof HubError && error.status > 0) && count < 2,
    },
  },
});

/** Who is signed in; null for nobody. */
function useSession() {
  return useQuery({
    queryKey: keys.session,
    queryFn: async () => {
      try {
        return await ask(api.GET("/api/session"));
      } catch (error) {
        if (error instanceof HubError && (error.status === 401 || error.status === 403))
          return null;
        throw error;
      }
    },
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Everything that only who has signed in sees; a wall has no frame around it. */
function SignedIn({ bare = false }: { bare?: boolean }) {
  const session = useSession();
  const here = useLocation();
  // Who was in keeps the page, and what was typed on it, when the session ends.
  const [person, setPerson] = useState("");
  const inside = session.data?.username;
  useEffect(() => {
    if (inside) setPerson(inside);
  }, [inside]);
  if (session.error) {
    return (
      <main className="p-8">
        <Failure error={session.error} retry={() => void session.refetch()} />
      </main>
    );
  }
  if (session.data === undefined) return <main className="p-8">{<Shape />}</main>;
  if (session.data === null && !person)
    return <Navigate to="/sign-in" state={{ from: here.pathname + here.search }} replace />;
  if (bare) {
    return (
      <Suspense fallback={<Shape lines={8} />}>
        {session.data === null && <SignInAgain person={person} />}
        <Outlet />
      </Suspense>
    );
  }
  return (
    <Shell person={visible(session.data?.username ?? person)}>
      {session.data === null && <SignInAgain person={person} />}
      <Boundary place={here.pathname}>
        <Suspense fallback={<Shape lines={8} />}>
          <Outlet />
        </Suspense>
      </Boundary>
    </Shell>
  );
}

function Nowhere() {
  return (
    <Page title="There is no such page">
      <p>
        The address may be out of date. Start from{" "}
        <Link className="text-act underline" to="/">
          the house page
        </Link>
        .
      </p>
    </Page>
  );
}

export function App() {
  return (
    <QueryClientProvider client={cache}>
      <BrowserRouter>
        <Routes>
          <Route path="/claim" element={<ClaimPage />} />
          <Route path="/sign-in" element={<SignInPage />} />
          <Route element={<SignedIn bare />}>
            <Route path="/wall/:dashboard" element={<WallPage />} />
          </Route>
          <Route element={<SignedIn />}>
            <Route index element={<HousePage />} />
            <Route path="/rooms/:room" element={<RoomPage />} />
            <Route path="/dashboards/:dashboard" element={<DashboardPage />} />
            <Route path="/nodes" element={<NodesPage />} />
            <Route path="/nodes/:node" element={<NodePage />} />
            <Route path="/readings" element={<ReadingsPage />} />
            <Route path="/compare" element={<ComparePage />} />
            <Route path="/review" element={<ReviewPage />} />
            <Route path="/readings/:node/:name" element={<EntityPage />} />
            <Route path="/automations" element={<AutomationsPage />} />
            <Route path="/automations/:automation" element={<AutomationPage />} />
            <Route path="/messages" element={<MessagesPage />} />
            <Route path="/admit" element={<AdmitPage />} />
            <Route path="/journal" element={<JournalPage />} />
            <Route path="/settings" element={<SettingsPage />} />
            <Route path="/first-steps" element={<FirstStepsPage />} />
            <Route path="*" element={<Nowhere />} />
          </Route>
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  );
}
