import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask, type Schemas } from "../api/client";
import { key } from "../api/keys";
import { usePerson } from "../frame/Frame";
import { hours, many } from "../frame/figures";

type View = Schemas["RotationView"];

/** The rotation of a warehouse, with today's portion. */
export const useRotation = (house: number, on = true) =>
	useQuery({
		queryKey: key.rotation(house),
		queryFn: () => ask(api.GET("/api/rotation/{warehouse}", { params: { path: { warehouse: house } } })),
		enabled: on,
	});

/** How far behind a rotation is, in words. */
export const late = (v: View) =>
	v.late.lines > 0 ? `${many(v.late.lines, "line is", "lines are")} late, by up to ${many(v.late.days, "day", "days")}` : "";

/** Today's portion of a warehouse, with the way to count it; nothing where it has no rotation. */
export function Portion({ house }: { house: Schemas["WarehouseView"] }) {
	const q = useRotation(house.id, house.rotation);
	const person = usePerson();
	const v = q.data;
	if (!v?.rotation) return null;
	const { portion } = v;
	return (
		<div className="flex items-baseline justify-between gap-3 border-b border-rule py-2" data-portion={house.code}>
			<span>
				<Link to={`/rotation/${house.id}`} className="hover:underline">
					<b className="code">{house.code}</b>, today's portion of the rotation
				</Link>
				:{" "}
				{portion.lines > 0 ? (
					<>
						<b>{many(portion.lines, "line", "lines")}</b> in {many(portion.bins, "bin", "bins")}, about {hours(portion.seconds)}
					</>
				) : portion.done > 0 ? (
					`nothing is left of it, as ${many(portion.done, "line is", "lines are")} on sheets or counted today`
				) : (
					"today there is none"
				)}
				{late(v) && <span className="ml-2 text-warn">! {late(v)}</span>}
			</span>
			{portion.lines > 0 && person.role === "controller" && (
				<Link to={`/plan?warehouse=${house.id}&portion=today`} className="act-plain shrink-0">
					Count {many(portion.lines, "line", "lines")}
				</Link>
			)}
		</div>
	);
}
