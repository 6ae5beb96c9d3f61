import { useQuery } from "@tanstack/react-query";

import { api, listed, type Version } from "../api/client";

/** A shot's versions, the newest first. */
export function useVersions(shot: string) {
  return useQuery({
    queryKey: ["versions", shot],
    queryFn: () =>
      listed<Version>((query) =>
        api.GET("/api/shots/{shot_id}/versions", { params: { path: { shot_id: shot }, query } }),
      ),
  });
}

/** Where a version is looked at. */
export const reviewOf = (shot: string, number: number) => `/shots/${shot}/review/${number}`;
