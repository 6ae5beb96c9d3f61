import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";

import { api, data, onSignedOut, type SessionState } from "./client";

/** Whether the server asks to sign in, and who is signed in. */
export function useSession() {
  const queries = useQueryClient();
  const session = useQuery({
    queryKey: ["session"],
    queryFn: () => data<SessionState>(api.GET("/api/session")),
    staleTime: Infinity,
  });
  useEffect(() => onSignedOut(() => void queries.invalidateQueries({ queryKey: ["session"] })), [queries]);
  return session;
}

/** Sign in. Raises Problem where name and password do not belong together. */
export function signIn(name: string, password: string): Promise<SessionState> {
  return data<SessionState>(api.POST("/api/session", { body: { name, password } }));
}

/** Sign out here. */
export async function signOut(): Promise<void> {
  await api.DELETE("/api/session");
}
