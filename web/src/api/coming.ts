import { type QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { http, taken } from "./client";
import { carry, LEFT } from "./patient";

/** Who has come in, and whether one has to. */
export function useComing() {
  const cache = useQueryClient();
  useEffect(() => {
    const again = () => cache.invalidateQueries({ queryKey: ["session"] });
    window.addEventListener(LEFT, again);
    return () => window.removeEventListener(LEFT, again);
  }, [cache]);
  return useQuery({
    queryKey: ["session"],
    queryFn: async () => {
      const found = await taken(http.GET("/api/session"));
      carry(found.token);
      return found;
    },
    staleTime: Number.POSITIVE_INFINITY,
  });
}

/** Forgets all that was looked at, but who is in. */
const forget = (cache: QueryClient): void =>
  cache.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== "session" });

/** Comes in with a name and a password. */
export function useLogIn() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: (body: { name: string; password: string }) =>
      taken(http.POST("/api/session", { body })),
    onSuccess: (found) => {
      carry(found.token);
      forget(cache);
      cache.setQueryData(["session"], found);
    },
  });
}

/** Leaves. What was looked at is forgotten. */
export function useLogOut() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => taken(http.DELETE("/api/session")),
    onSuccess: () => {
      carry("");
      forget(cache);
      cache.invalidateQueries({ queryKey: ["session"] });
    },
  });
}
