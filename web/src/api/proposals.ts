import { client, type Signal, sound, unwrap } from "./request";
import type { EvenWay, KickWayCost, OrderCost, OwnerCost, ReturnCost, WayCost } from "./types";

/** What each kind of proposal says of one. */
export interface Proposals {
  owners: OwnerCost;
  ways: WayCost;
  "kick-ways": KickWayCost;
  orders: OrderCost;
  returns: ReturnCost;
  evening: EvenWay;
}
export type ProposalKind = keyof Proposals;

/** Ways that were made, rendered and measured: listed, heard, taken; part: whose returns. */
export const proposalsApi = {
  proposals: <K extends ProposalKind>(
    id: string,
    number: number,
    kind: K,
    part: string,
    { signal }: Signal,
  ): Promise<Proposals[K][]> =>
    unwrap(
      client.GET(`/api/tracks/{track_id}/revisions/{number}/proposals/${kind as "returns"}`, {
        params: { path: { track_id: id, number }, ...(kind === "returns" && { query: { part } }) },
        signal,
      }),
    ) as unknown as Promise<Proposals[K][]>,
  proposalLoop: (id: string, number: number, kind: ProposalKind, one: string, part: string) =>
    sound(`/api/tracks/${id}/revisions/${number}/proposals/${kind}/${one}/loop.wav?part=${encodeURIComponent(part)}`),
};
