import { Navigate, Route, Routes } from "react-router";
import { Adjustments } from "./adjustments/Adjustments";
import { Counting } from "./counting/Counting";
import { CountFrame, Frame } from "./frame/Frame";
import { SignIn, useMe } from "./frame/SignIn";
import { Intake } from "./intake/Intake";
import { Layouts } from "./intake/Layouts";
import { NewCount, Plan } from "./plan/Plan";
import { Recorded, RecordedOfCount } from "./recorded/Recorded";
import { Report } from "./report/Report";
import { Sheets } from "./sheets/Sheets";
import { Today } from "./today/Today";
import { Variances } from "./variances/Variances";

export function App() {
	const me = useMe();
	if (me.isPending) return null;
	if (!me.data?.person) return <SignIn me={me.data} error={me.error} />;
	return (
		<Routes>
			<Route element={<Frame person={me.data.person} />}>
				<Route index element={<Today />} />
				<Route path="stock/:house?" element={<Recorded />} />
				<Route path="intake" element={<Intake />} />
				<Route path="layouts" element={<Layouts />} />
				<Route path="plan" element={<NewCount />} />
				<Route path="counts/:count" element={<CountFrame />}>
					<Route index element={<Navigate to="variances" replace />} />
					<Route path="recorded" element={<RecordedOfCount />} />
					<Route path="plan" element={<Plan />} />
					<Route path="sheets" element={<Sheets />} />
					<Route path="counting/:sheet?" element={<Counting />} />
					<Route path="variances" element={<Variances />} />
					<Route path="adjustments" element={<Adjustments />} />
					<Route path="report" element={<Report />} />
				</Route>
				<Route path="*" element={<Navigate to="/" replace />} />
			</Route>
		</Routes>
	);
}
