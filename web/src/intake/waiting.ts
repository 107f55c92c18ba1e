import { useQuery } from "@tanstack/react-query";
import { api, ask } from "../api/client";
import { key } from "../api/keys";

/** What one dropped and did not take in, in whatever window. */
export function useWaiting() {
	return useQuery({ queryKey: key.waiting, queryFn: () => ask(api.GET("/api/uploads")) });
}
