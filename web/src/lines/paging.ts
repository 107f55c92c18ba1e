import { useInfiniteQuery } from "@tanstack/react-query";
import { useMemo } from "react";

/** Pages of lines that follow one another, as one list. */
export function usePages<R, P extends { lines: R[]; next: string } = { lines: R[]; next: string }>(
	key: unknown[],
	enabled: boolean,
	page: (after: string) => Promise<P>,
) {
	const q = useInfiniteQuery({
		queryKey: key,
		enabled,
		initialPageParam: "",
		queryFn: ({ pageParam }) => page(pageParam),
		getNextPageParam: (last) => last.next || undefined,
		placeholderData: (before) => before,
	});
	const rows = useMemo(() => q.data?.pages.flatMap((p) => p.lines) ?? [], [q.data]);
	const more = q.hasNextPage && !q.isFetchingNextPage && !q.isFetchNextPageError; // one that was refused is not asked for without end
	return {
		rows,
		settled: !q.isPlaceholderData, // they are what was asked for, not what was there before
		first: q.data?.pages[0],
		more,
		loading: q.isPending,
		error: q.data ? null : q.error, // what was read before stays; the frame says that it may be old
		onMore: () => void q.fetchNextPage(),
	};
}
