import { Dialog, DialogPanel, DialogTitle, Menu, MenuButton, MenuItem, MenuItems, Radio, RadioGroup } from "@headlessui/react";
import { useQuery } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext, useEffect, useRef, useState } from "react";
import { Link, NavLink, Outlet, useLocation, useNavigate, useParams } from "react-router";
import { api, ask, queries, type Schemas, useStale } from "../api/client";
import { useEvents } from "../api/events";
import { key } from "../api/keys";
import { dropFiles } from "../intake/drops";
import { BeingRead, count, Empty, many, plain, when } from "./figures";
import { Goto } from "./Goto";
import { Steps } from "./Steps";
import { typing } from "./typing";
import { Work } from "./Work";

type Keys = [string, string][];

/** The pages that a person goes to from anywhere. */
const places = (p: Schemas["Person"]): [string, string][] => [
	["/", "Today"],
	["/stock", "Stock"],
	["/intake", "Intake"],
	["/reference", "Reference"],
	...(p.role === "controller"
		? ([
				["/safety", "Backups"],
				["/record", "Record"],
			] as [string, string][])
		: []),
	...(p.owner ? ([["/people", "People"]] as [string, string][]) : []),
];

async function signOut() {
	await ask(api.DELETE("/api/session"));
	queries.invalidateQueries({ queryKey: key.me });
}

const Person = createContext<Schemas["Person"] | null>(null);
export const usePerson = () => useContext(Person) as Schemas["Person"];

/** The house around every screen: the way between things, dropping files anywhere, keys. */
export function Frame({ person }: { person: Schemas["Person"] }) {
	useEvents();
	const navigate = useNavigate();
	const at = useLocation();
	const [over, setOver] = useState(false);
	const [going, setGoing] = useState(false);
	const [help, setHelp] = useState(false);
	const depth = useRef(0);
	const work = useRef<HTMLDivElement>(null);
	useTitle(at.pathname);

	useEffect(() => {
		const key = (e: KeyboardEvent) => {
			if ((e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "k") {
				e.preventDefault();
				setGoing(true);
			} else if (e.key === "?" && !typing(e)) {
				setHelp(true);
			}
		};
		window.addEventListener("keydown", key);
		return () => window.removeEventListener("keydown", key);
	}, []);

	const files = (e: React.DragEvent) => e.dataTransfer.types.includes("Files");
	return (
		<Person.Provider value={person}>
			<div
				className="flex h-full flex-col"
				onDragEnter={(e) => {
					if (!files(e)) return;
					e.preventDefault();
					depth.current++;
					setOver(true);
				}}
				onDragOver={(e) => {
					if (!files(e)) return;
					e.preventDefault();
					setOver((e.target as HTMLElement).closest?.("[data-own-drop]") == null); // what takes files by itself is not covered
				}}
				onDropCapture={() => {
					depth.current = 0;
					setOver(false);
				}}
				onDragLeave={() => {
					if (--depth.current <= 0) setOver(false);
				}}
				onDrop={(e) => {
					if (!files(e)) return;
					e.preventDefault();
					dropFiles([...e.dataTransfer.files]);
					navigate("/intake");
				}}
			>
				<button type="button" className="sr-only focus:not-sr-only focus:px-4" onClick={() => work.current?.focus()}>
					Skip to the work
				</button>
				<header className="flex items-baseline gap-x-5 border-b border-rule px-4 py-1.5 narrow:gap-x-3 narrow:px-3">
					<Link to="/" className="text-[15px] font-bold">
						Wobin
					</Link>
					<nav className="hidden flex-wrap gap-x-4 min-[1000px]:flex" aria-label="Main">
						{places(person).map(([to, name]) => (
							<NavLink
								key={to}
								to={to}
								end={to === "/"}
								className={({ isActive }) => (isActive ? "border-b-2 border-ink font-semibold" : "hover:underline")}
							>
								{name}
							</NavLink>
						))}
					</nav>
					<CountName />
					<Work />
					<span className="ml-auto flex shrink-0 items-baseline gap-x-3 text-dim">
						<button type="button" onClick={() => setGoing(true)}>
							<span className="keycap narrow:hidden">Ctrl K</span> go to
						</button>
						<span className="hidden items-baseline gap-x-3 min-[1000px]:flex">
							<ThemeWord />
							<Link className="hover:underline" to="/me" title="Password, and where you are signed in">
								{person.name}, {person.role}
							</Link>
							<button type="button" className="word" onClick={signOut}>
								Sign out
							</button>
						</span>
						<AllPlaces person={person} />
					</span>
				</header>
				<Stale />
				<div ref={work} tabIndex={-1} className="flex min-h-0 flex-1 flex-col outline-none">
					<Outlet key={at.pathname.split("/").slice(0, 3).join("/")} />
				</div>
				{over && (
					<div className="pointer-events-none fixed inset-3 z-40 grid place-items-center border-2 border-dashed border-ink bg-paper/85">
						<div className="text-center">
							<h1>Let go to have a look at it</h1>
							<p className="text-dim">
								Places, items, stock, movements or sheets that came back; a mended file goes on where the first one was. Nothing is stored
								yet.
							</p>
						</div>
					</div>
				)}
				{going && <Goto onClose={() => setGoing(false)} />}
				{help && <AllKeys onClose={() => setHelp(false)} />}
			</div>
		</Person.Provider>
	);
}

/** What a page is called, by the beginning of its path; in a count by the stage. */
const titles: [RegExp, string][] = [
	[/^\/counts\/\d+\/(recorded)/, "Recorded"],
	[/^\/counts\/\d+\/(plan)/, "Plan"],
	[/^\/counts\/\d+\/(sheets)/, "Sheets"],
	[/^\/counts\/\d+\/counting\/tray/, "The tray"],
	[/^\/counts\/\d+\/counting\/(\d+)/, "Sheet"],
	[/^\/counts\/\d+\/counting/, "Counting"],
	[/^\/counts\/\d+\/variances/, "Variances"],
	[/^\/counts\/\d+\/adjustments/, "Adjustments"],
	[/^\/counts\/\d+\/report/, "Report"],
	[/^\/stock/, "Stock"],
	[/^\/intake/, "Intake"],
	[/^\/layouts/, "Layouts"],
	[/^\/plan/, "Plan a new count"],
	[/^\/rotation/, "Rotation"],
	[/^\/together/, "Counts together"],
	[/^\/item/, "Item"],
	[/^\/reference/, "Reference"],
	[/^\/safety/, "Backups"],
	[/^\/record/, "Record"],
	[/^\/people/, "People"],
	[/^\/me/, "Your sign-in"],
	[/^\/$/, "Today"],
];

const pageOf = (path: string) => titles.find(([of]) => of.test(path))?.[1];

const countIn = (path: string) => Number(path.match(/^\/counts\/(\d+)/)?.[1] ?? 0);

/** Names the window after its page: the stage of a count with the count's name. */
function useTitle(path: string) {
	const id = countIn(path);
	const q = useCountOf(id);
	const page = pageOf(path);
	const number = page === "Sheet" ? ` ${path.match(/\d+$/)?.[0] ?? ""}` : "";
	const title = [page && page + number, id > 0 && q.data?.name, "Wobin"].filter(Boolean).join(" · ");
	useEffect(() => {
		document.title = title;
	}, [title]);
}

/** In a narrow window: the pages, and what else stands at the head of a wide one, behind one button. */
function AllPlaces({ person }: { person: Schemas["Person"] }) {
	const line = "block px-4 py-2 data-focus:bg-ink data-focus:text-on-ink";
	return (
		<Menu as="span" className="min-[1000px]:hidden">
			<MenuButton className="act-plain border-rule text-ink">Pages</MenuButton>
			<MenuItems anchor="bottom end" className="z-40 min-w-52 border border-ink bg-paper py-1 text-ink">
				{places(person).map(([to, name]) => (
					<MenuItem key={to}>
						<Link className={line} to={to}>
							{name}
						</Link>
					</MenuItem>
				))}
				<MenuItem>
					<Link className={`${line} border-t border-hair`} to="/me">
						{person.name}, {person.role}
					</Link>
				</MenuItem>
				<MenuItem>
					<span className={line}>
						<ThemeWord />
					</span>
				</MenuItem>
				<MenuItem>
					<button type="button" className={`${line} w-full text-left`} onClick={signOut}>
						Sign out
					</button>
				</MenuItem>
			</MenuItems>
		</Menu>
	);
}

/** Says that what is shown may be old, as long as the server does not answer for it. */
function Stale() {
	const why = useStale();
	return (
		<div role="status" data-stale={why ? "" : undefined}>
			{why && (
				<p className="border-b border-warn bg-warn-wash px-4 py-1">
					<b className="text-warn">! </b>
					{why.message} What is shown is what was read last, and nothing typed is lost.{" "}
					<button type="button" className="word" onClick={() => queries.invalidateQueries()}>
						Try again
					</button>
				</p>
			)}
		</div>
	);
}

function ThemeWord() {
	const [chosen, setChosen] = useState(() => localStorage.getItem("theme"));
	const dark = useMedia("(prefers-color-scheme: dark)"); // the machine's own, until somebody chooses
	const night = chosen ? chosen === "night" : dark;
	useEffect(() => {
		document.documentElement.dataset.theme = night ? "night" : "day";
	}, [night]);
	const choose = (theme: string) => {
		localStorage.setItem("theme", theme);
		setChosen(theme);
	};
	return (
		<button type="button" className="word" onClick={() => choose(night ? "day" : "night")}>
			{night ? "Day" : "Night"}
		</button>
	);
}

function AllKeys({ onClose }: { onClose: () => void }) {
	const keys: Keys = [
		["Ctrl K", "go to a page, a count, an item, a barcode, a bin, a sheet"],
		["?", "all keys"],
		["↑ ↓", "from line to line"],
		["Shift ↑ ↓", "mark a block of lines"],
		["X", "mark a line"],
		["Ctrl A", "mark all lines"],
		["Ctrl C", "copy the marked lines for a spreadsheet"],
		["F2 · Ctrl V", "Reference: change a cell, or many by pasting cells of a spreadsheet"],
		["⋮", "at the end of a header: columns, and the list as a file"],
		["Page, Home, End", "through the lines"],
		["/", "filter by typing"],
		["E", "to the elevation; arrows move, space chooses"],
		["Esc", "let go of what is chosen"],
		["A · H", "Variances: accept, hold"],
		["R", "Variances: give the reason"],
		["U", "Variances: take a decision back"],
		["Enter", "Counting: type the number, Enter goes to the next"],
		["F2", "Intake: mend the cell in hand"],
		["Ctrl Z", "in a count: undo your last step · Intake: take the last answer back"],
	];
	return (
		<Dialog open onClose={onClose} className="fixed inset-0 z-50 grid place-items-center bg-ink/30">
			<DialogPanel className="border border-ink bg-paper p-6">
				<DialogTitle className="mb-3">Keys</DialogTitle>
				<KeyTable keys={keys} />
			</DialogPanel>
		</Dialog>
	);
}

function KeyTable({ keys }: { keys: Keys }) {
	return (
		<table>
			<tbody>
				{keys.map(([k, what]) => (
					<tr key={k}>
						<td className="py-0.5 pr-4">
							<span className="keycap">{k}</span>
						</td>
						<td>{what}</td>
					</tr>
				))}
			</tbody>
		</table>
	);
}

/** A count by its number; nothing is read for what is none. */
const useCountOf = (id: number) =>
	useQuery({
		queryKey: key.count(id),
		enabled: Number.isInteger(id) && id > 0,
		queryFn: () => ask(api.GET("/api/counts/{count}", { params: { path: { count: id } } })),
	});

export function useCount(): { id: number; data?: Schemas["Stages"]; error: Error | null } {
	const { count: text } = useParams();
	const id = Number(text);
	const q = useCountOf(id);
	return { id, data: q.data, error: q.data ? null : q.error };
}

function CountName() {
	const id = countIn(useLocation().pathname);
	const q = useCountOf(id);
	if (!id || !q.data) return null;
	return (
		<span className="min-w-0 truncate">
			<span className="text-dim">/ </span>
			<b className="font-semibold">{q.data.name}</b>
			<span className="ml-3 text-dim narrow:hidden">
				frozen {when(q.data.frozen_at)}
				{q.data.state === "finished" && " · finished"}
			</span>
		</span>
	);
}

/** A count's screens under its stage line. */
export function CountFrame() {
	const { id, data, error } = useCount();
	if (!(id > 0)) return <Empty title="There is no such count" />;
	if (!data) return <BeingRead what="This count" of={[{ error }]} />;
	return (
		<>
			<Stages c={data} />
			<StageName />
			<Steps key={data.id} id={data.id} />
			<Outlet />
		</>
	);
}

/** The heading of a stage whose lines begin at once, for those who go by headings. */
function StageName() {
	const { pathname } = useLocation();
	return /\/(recorded|sheets|variances|adjustments)$/.test(pathname) ? <h1 className="sr-only">{pageOf(pathname)}</h1> : null;
}

function Stages({ c }: { c: Schemas["Stages"] }) {
	const row = useRef<HTMLElement>(null);
	const { pathname } = useLocation();
	// Where not all stages fit, the one that is open is in sight.
	useEffect(() => {
		if (!pathname) return;
		const open = row.current?.querySelector<HTMLElement>("[aria-current]");
		if (row.current && open) row.current.scrollLeft = open.offsetLeft - (row.current.clientWidth - open.offsetWidth) / 2;
	}, [pathname]);
	const part = (n: number, of: number) => (of === 0 ? 0 : Math.round((n / of) * 100));
	const stages: [string, string, string, number][] = [
		["recorded", "Recorded", many(c.recorded_lines, "line", "lines"), 100],
		["plan", "Plan", c.blind ? "blind" : "open", 100],
		["sheets", "Sheets", `${c.sheets} cut · ${c.sheets_out} out`, part(c.sheets_out + c.sheets_back, c.sheets)],
		["counting", "Counting", `${count(c.counted)} of ${count(c.lines)}`, part(c.counted, c.lines)],
		[
			"variances",
			"Variances",
			c.open > 0 ? `${c.open} open · ${plain(c.open_value)}` : `${c.variances}, none open`,
			part(c.variances - c.open, c.variances),
		],
		[
			"adjustments",
			"Adjustments",
			c.accepted > 0 ? `${c.accepted} to send · ${c.posted} sent` : `${c.posted} sent`,
			part(c.posted, c.posted + c.accepted + c.open),
		],
		[
			"report",
			"Report",
			c.accuracy ? `IRA ${c.accuracy} %` : c.counted ? "first count" : "nothing counted",
			c.state === "finished" ? 100 : 0,
		],
	];
	return (
		<nav
			ref={row}
			className="grid shrink-0 grid-cols-[repeat(7,minmax(7.5rem,1fr))] overflow-x-auto border-b border-ink tight:grid-cols-[repeat(7,auto)]"
			aria-label="Stages"
		>
			{stages.map(([to, name, figure, done]) => (
				<NavLink
					key={to}
					to={to}
					className={({ isActive }) =>
						`relative block border-r border-hair px-3 pt-1 pb-2.5 last:border-r-0 hover:bg-sheet tight:px-2.5 tight:pb-2 ${isActive ? "bg-sheet" : ""}`
					}
				>
					{({ isActive }) => (
						<>
							<span className="block font-semibold">{name}</span>
							<span className="block truncate font-mono text-[11.5px] text-dim tight:hidden">{figure}</span>
							{isActive ? (
								<span className="absolute inset-x-0 bottom-0 h-[3px] bg-ink" />
							) : (
								<span className="absolute inset-x-3 bottom-1 h-[2px] bg-hair">
									<span className="block h-[2px] bg-dim" style={{ width: `${done}%` }} />
								</span>
							)}
						</>
					)}
				</NavLink>
			))}
		</nav>
	);
}

/** Whether something holds of the window, as CSS asks for it. */
function useMedia(query: string) {
	const [is, setIs] = useState(() => matchMedia(query).matches);
	useEffect(() => {
		const m = matchMedia(query);
		const on = () => setIs(m.matches);
		m.addEventListener("change", on);
		return () => m.removeEventListener("change", on);
	}, [query]);
	return is;
}

/** Where the window has room for the racks beside the lines. */
const roomy = "(min-width: 1160px)";

/** A stage: its lines, the elevation beside them, what can be done at the foot, and the keys that work here. */
export function Stage({ children, side, foot, keys }: { children: ReactNode; side?: ReactNode; foot?: ReactNode; keys?: Keys }) {
	const wide = useMedia(roomy);
	const [over, setOver] = useState(false); // in a narrow window the side is folded away, and lies over the lines when it is wanted
	useEffect(() => {
		if (wide || !side) return;
		const key = (e: KeyboardEvent) => {
			if (e.key.toLowerCase() === "e" && !typing(e) && !e.ctrlKey && !e.metaKey) setOver((was) => !was);
		};
		window.addEventListener("keydown", key);
		return () => window.removeEventListener("keydown", key);
	}, [wide, side]);
	return (
		<>
			<div className="relative flex min-h-0 flex-1">
				<main className="flex min-w-0 flex-1 flex-col">{children}</main>
				{side && !wide && (
					<button
						type="button"
						className="border-l border-rule px-1 text-dim [writing-mode:vertical-rl] hover:bg-sheet"
						aria-expanded={over}
						onClick={() => setOver(!over)}
						data-fold
					>
						{over ? "fold it away" : "racks, line in hand"}
					</button>
				)}
				{side && (wide || over) && (
					<aside
						className={`flex flex-col border-l border-rule ${wide ? "w-[372px] shrink-0 min-[1700px]:w-[560px]" : "absolute inset-y-0 right-6 z-20 w-[372px] max-w-[calc(100%-1.5rem)] border-ink bg-paper"}`}
					>
						{side}
					</aside>
				)}
			</div>
			{foot && (
				<footer className="flex flex-wrap items-center gap-x-4 gap-y-1 border-t border-ink px-4 py-1.5 tight:gap-x-2 tight:px-3 tight:py-1">
					{foot}
				</footer>
			)}
			{keys && (
				<div className="hidden flex-wrap gap-x-4 border-t border-hair px-4 py-0.5 text-[12px] text-dim min-[700px]:flex low:hidden">
					{keys.map(([k, what]) => (
						<span key={k}>
							<span className="keycap">{k}</span> {what}
						</span>
					))}
				</div>
			)}
		</>
	);
}

/** A field that filters by typing; "/" goes there, Escape leaves. */
export function FilterField({ value, onChange }: { value: string; onChange: (v: string) => void }) {
	const field = useRef<HTMLInputElement>(null);
	useEffect(() => {
		const key = (e: KeyboardEvent) => {
			if (e.key === "/" && !typing(e)) {
				e.preventDefault();
				field.current?.focus();
			} else if (e.key.toLowerCase() === "e" && !typing(e) && !e.ctrlKey && !e.metaKey) {
				document.querySelector<HTMLElement>("[data-elevation]")?.focus();
			}
		};
		window.addEventListener("keydown", key);
		return () => window.removeEventListener("keydown", key);
	}, []);
	return (
		<input
			ref={field}
			className="w-60 tight:w-40"
			value={value}
			placeholder="Filter: bin, SKU, words   /"
			aria-label="Filter"
			onChange={(e) => onChange(e.target.value)}
			onKeyDown={(e) => {
				if (e.key === "Escape" || e.key === "Enter" || e.key === "ArrowDown") {
					if (e.key === "Escape") onChange("");
					field.current?.blur();
					document.querySelector<HTMLElement>("[data-lines]")?.focus();
				}
			}}
		/>
	);
}

/** Plain words to choose one of, the chosen one underlined. */
export function Choice<T extends string>({
	label,
	value,
	of,
	onChange,
}: {
	label: string;
	value: T;
	of: [T, string][];
	onChange: (v: T) => void;
}) {
	return (
		<RadioGroup className="flex gap-3" aria-label={label} value={value} onChange={onChange}>
			{of.map(([v, name]) => (
				<Radio
					key={v}
					as="button"
					type="button"
					value={v}
					className="border-b-2 border-transparent text-dim hover:text-ink data-checked:border-ink data-checked:font-semibold data-checked:text-ink"
				>
					{name}
				</Radio>
			))}
		</RadioGroup>
	);
}
