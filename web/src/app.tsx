import { lazy, Suspense } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { Boundary } from "./frame/Boundary";
import { CountFrame, Frame } from "./frame/Frame";
import { Empty } from "./frame/figures";
import { SignIn, useMe } from "./frame/SignIn";
import { Today } from "./today/Today";

// Each stage is loaded when it is first opened.
const Intake = lazy(() => import("./intake/Intake").then((m) => ({ default: m.Intake })));
const Layouts = lazy(() => import("./intake/Layouts").then((m) => ({ default: m.Layouts })));
const Recorded = lazy(() => import("./recorded/Recorded").then((m) => ({ default: m.Recorded })));
const RecordedOfCount = lazy(() => import("./recorded/Recorded").then((m) => ({ default: m.RecordedOfCount })));
const NewCount = lazy(() => import("./plan/Plan").then((m) => ({ default: m.NewCount })));
const Plan = lazy(() => import("./plan/Planned").then((m) => ({ default: m.Plan })));
const Together = lazy(() => import("./report/Together").then((m) => ({ default: m.Together })));
const Rotation = lazy(() => import("./plan/Rotation").then((m) => ({ default: m.Rotation })));
const Sheets = lazy(() => import("./sheets/Sheets").then((m) => ({ default: m.Sheets })));
const Counting = lazy(() => import("./counting/Counting").then((m) => ({ default: m.Counting })));
const Variances = lazy(() => import("./variances/Variances").then((m) => ({ default: m.Variances })));
const Adjustments = lazy(() => import("./adjustments/Adjustments").then((m) => ({ default: m.Adjustments })));
const Report = lazy(() => import("./report/Report").then((m) => ({ default: m.Report })));
const People = lazy(() => import("./people/People").then((m) => ({ default: m.People })));
const Own = lazy(() => import("./people/Own").then((m) => ({ default: m.Own })));
const Join = lazy(() => import("./people/Join").then((m) => ({ default: m.Join })));
const Record = lazy(() => import("./safety/Record").then((m) => ({ default: m.Record })));
const Item = lazy(() => import("./reference/Item").then((m) => ({ default: m.Item })));
const Reference = lazy(() => import("./reference/Reference").then((m) => ({ default: m.Reference })));
const Safety = lazy(() => import("./safety/Safety").then((m) => ({ default: m.Safety })));

export function App() {
	const me = useMe();
	const { pathname } = useLocation();
	if (me.isPending) return me.failureReason && <Empty title="Wobin cannot be shown">{me.failureReason.message}</Empty>;
	if (pathname === "/join")
		return (
			<Suspense fallback={null}>
				<Join />
			</Suspense>
		);
	if (!me.data?.person) return <SignIn me={me.data} error={me.error} />;
	const view = (element: React.ReactNode) => (
		<Boundary at={pathname}>
			<Suspense fallback={null}>{element}</Suspense>
		</Boundary>
	);
	return (
		<Routes>
			<Route element={<Frame person={me.data.person} />}>
				<Route index element={view(<Today />)} />
				<Route path="stock/:house?" element={view(<Recorded />)} />
				<Route path="intake" element={view(<Intake />)} />
				<Route path="layouts" element={view(<Layouts />)} />
				<Route path="plan" element={view(<NewCount />)} />
				<Route path="rotation/:house" element={view(<Rotation />)} />
				<Route path="together/:count" element={view(<Together />)} />
				<Route path="item" element={view(<Item />)} />
				<Route path="reference/:list?" element={view(<Reference />)} />
				<Route path="safety" element={view(<Safety />)} />
				<Route path="record" element={view(<Record />)} />
				<Route path="people" element={view(<People />)} />
				<Route path="me" element={view(<Own />)} />
				<Route path="counts/:count" element={<CountFrame />}>
					<Route index element={<Navigate to="variances" replace />} />
					<Route path="recorded" element={view(<RecordedOfCount />)} />
					<Route path="plan" element={view(<Plan />)} />
					<Route path="sheets" element={view(<Sheets />)} />
					<Route path="counting/:sheet?" element={view(<Counting />)} />
					<Route path="variances" element={view(<Variances />)} />
					<Route path="adjustments" element={view(<Adjustments />)} />
					<Route path="report" element={view(<Report />)} />
				</Route>
				<Route path="*" element={<Navigate to="/" replace />} />
			</Route>
		</Routes>
	);
}
