import { api, data, say, type Carrier, type CarrierChecks, type Doubt, type SlipOf } from "../api/client";
import { bench, setBench } from "../state/bench";
import { lastFrame } from "../state/plate";

/** Frames whose slip is asked for at once. */
const AT_ONCE = 12;

/** Measure a carrier: jitter at once, slip a few frames at a time; what is overtaken is given up. */
export async function measure(carrier: Carrier) {
  const { shot, checks: before } = bench();
  if (!shot || before?.of === carrier) return;
  const params = { path: { shot_id: shot.id, carrier: carrier.id } };
  const { first } = shot.plate;
  const nothing = { of: carrier, first, jitter: [], removed: [], slip: [], notable: Infinity, doubts: [] };
  const current = () => {
    const { checks } = bench();
    return checks?.of === carrier ? checks : null;
  };
  setBench({ checks: nothing });
  try {
    const { jitter, removed, notable } = await data<CarrierChecks>(
      api.GET("/api/shots/{shot_id}/carriers/{carrier}/checks", { params }),
    );
    const started = current();
    if (!started) return;
    setBench({ checks: { ...started, jitter, removed, notable } });
    const last = lastFrame(shot.plate);
    for (let from = first; from <= last; from += AT_ONCE) {
      const query = { first: from, last: Math.min(from + AT_ONCE - 1, last) };
      const part = await data<SlipOf>(
        api.GET("/api/shots/{shot_id}/carriers/{carrier}/slip", { params: { ...params, query } }),
      );
      const checks = current();
      if (!checks) return;
      const slip = [...checks.slip];
      part.slip.forEach((off, i) => (slip[part.first + i - first] = off));
      const body = { first, slip: slip.map((off) => off ?? null) };
      const doubts = await data<Doubt[]>(
        api.POST("/api/shots/{shot_id}/carriers/{carrier}/slip/doubts", { params, body }),
      );
      if (current()) setBench({ checks: { ...checks, slip, doubts } });
    }
  } catch (error) {
    if (current()) say(error);
  }
}
