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
import { SignInPage } from "../features/account/SignInPage";
import { HousePage } from "../features/house/HousePage";
import { Failure, Page, Shape } from "../ui/parts";
import { visible } from "../ui/visible";
import { Boundary } from "./Boundary";
import { whenIdle } from "./idle";
import { fetchPalette, Shell } from "./Shell";

// What is not the first page comes later: each page by itself, fetched while nothing else is,
// so that it is there when the hub is not.
const fetchAdmitPage = () => import("../features/nodes/AdmitPage");
const fetchAutomationPage = () => import("../features/automations/AutomationPage");
const fetchAutomationsPage = () => import("../features/automations/AutomationsPage");
const fetchFirstSignInPage = () => import("../features/account/FirstSignInPage");
const fetchComparePage = () => import("../features/compare/ComparePage");
const fetchDashboardPage = () => import("../features/dashboards/DashboardPage");
const fetchEntityPage = () => import("../features/entity/EntityPage");
const fetchFirstStepsPage = () => import("../features/house/FirstSteps");
const fetchGuestPage = () => import("../features/guest/GuestPage");
const fetchJoinPage = () => import("../features/account/JoinPage");
const fetchJournalPage = () => import("../features/journal/JournalPage");
const fetchMessagesPage = () => import("../features/messages/MessagesPage");
const fetchNodePage = () => import("../features/nodes/NodePage");
const fetchNodesPage = () => import("../features/nodes/NodesPage");
const fetchNoticesPage = () => import("../features/notices/NoticesPage");
const fetchPeoplePage = () => import("../features/people/PeoplePage");
const fetchReadingsPage = () => import("../features/readings/ReadingsPage");
const fetchReviewPage = () => import("../features/review/ReviewPage");
const fetchRoomPage = () => import("../features/room/RoomPage");
const fetchSettingsPage = () => import("../features/settings/SettingsPage");
const fetchSignInAgain = () => import("../features/account/SignInAgain");
const fetchTrustPage = () => import("../features/trust/TrustPage");
const fetchWallPage = () => import("../features/wall/WallPage");
const AdmitPage = lazy(() => fetchAdmitPage().then((m) => ({ default: m.AdmitPage })));
const AutomationPage = lazy(() =>
  fetchAutomationPage().then((m) => ({ default: m.AutomationPage })),
);
const AutomationsPage = lazy(() =>
  fetchAutomationsPage().then((m) => ({ default: m.AutomationsPage })),
);
const FirstSignInPage = lazy(() =>
  fetchFirstSignInPage().then((m) => ({ default: m.FirstSignInPage })),
);
const ComparePage = lazy(() => fetchComparePage().then((m) => ({ default: m.ComparePage })));
const DashboardPage = lazy(() => fetchDashboardPage().then((m) => ({ default: m.DashboardPage })));
const EntityPage = lazy(() => fetchEntityPage().then((m) => ({ default: m.EntityPage })));
const FirstStepsPage = lazy(() =>
  fetchFirstStepsPage().then((m) => ({ default: m.FirstStepsPage })),
);
const GuestPage = lazy(() => fetchGuestPage().then((m) => ({ default: m.GuestPage })));
const JoinPage = lazy(() => fetchJoinPage().then((m) => ({ default: m.JoinPage })));
const JournalPage = lazy(() => fetchJournalPage().then((m) => ({ default: m.JournalPage })));
const MessagesPage = lazy(() => fetchMessagesPage().then((m) => ({ default: m.MessagesPage })));
const NodePage = lazy(() => fetchNodePage().then((m) => ({ default: m.NodePage })));
const NodesPage = lazy(() => fetchNodesPage().then((m) => ({ default: m.NodesPage })));
const NoticesPage = lazy(() => fetchNoticesPage().then((m) => ({ default: m.NoticesPage })));
const PeoplePage = lazy(() => fetchPeoplePage().then((m) => ({ default: m.PeoplePage })));
const ReadingsPage = lazy(() => fetchReadingsPage().then((m) => ({ default: m.ReadingsPage })));
const ReviewPage = lazy(() => fetchReviewPage().then((m) => ({ default: m.ReviewPage })));
const RoomPage = lazy(() => fetchRoomPage().then((m) => ({ default: m.RoomPage })));
const SettingsPage = lazy(() => fetchSettingsPage().then((m) => ({ default: m.SettingsPage })));
const SignInAgain = lazy(() => fetchSignInAgain().then((m) => ({ default: m.SignInAgain })));
const TrustPage = lazy(() => fetchTrustPage().then((m) => ({ default: m.TrustPage })));
const WallPage = lazy(() => fetchWallPage().then((m) => ({ default: m.WallPage })));
whenIdle(
  fetchSignInAgain,
  fetchRoomPage,
  fetchAdmitPage,
  fetchAutomationPage,
  fetchAutomationsPage,
  fetchComparePage,
  fetchDashboardPage,
  fetchEntityPage,
  fetchFirstStepsPage,
  fetchJournalPage,
  fetchMessagesPage,
  fetchNodePage,
  fetchNodesPage,
  fetchNoticesPage,
  fetchPeoplePage,
  fetchReadingsPage,
  fetchReviewPage,
  fetchSettingsPage,
  fetchPalette,
);

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
  const role = session.data?.role ?? "owner";
  if (role === "guest") return <GuestPage person={session.data?.username ?? person} />;
  const wall = `/wall/${session.data?.dashboard}`;
  if (role === "wall" && here.pathname !== wall) return <Navigate to={wall} replace />;
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
      {session.data === null && (
        <Suspense>
          <SignInAgain person={person} />
        </Suspense>
      )}
      <Boundary place={here.pathname}>
        <Suspense fallback={<Shape lines={8} />}>
          <Outlet />
        </Suspense>
      </Boundary>
    </Shell>
  );
}

/** The people's page, which is another for another role. */
function People() {
  const session = useSession().data;
  return <PeoplePage role={session?.role ?? "adult"} second={session?.second ?? false} />;
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

function Waits() {
  return (
    <main className="p-8">
      <Shape lines={8} />
    </main>
  );
}

export function App() {
  return (
    <QueryClientProvider client={cache}>
      <BrowserRouter>
        <Suspense fallback={<Waits />}>
          <Routes>
            <Route path="/first-sign-in" element={<FirstSignInPage />} />
            <Route path="/join" element={<JoinPage />} />
            <Route path="/sign-in" element={<SignInPage />} />
            <Route path="/trust" element={<TrustPage />} />
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
              <Route path="/people" element={<People />} />
              <Route path="/notices" element={<NoticesPage />} />
              <Route path="/settings" element={<SettingsPage />} />
              <Route path="/first-steps" element={<FirstStepsPage />} />
              <Route path="*" element={<Nowhere />} />
            </Route>
          </Routes>
        </Suspense>
      </BrowserRouter>
    </QueryClientProvider>
  );
}
