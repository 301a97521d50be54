/** At most so many marketing messages in so many days of 24 hours. */
export interface CapRule {
  messages: number;
  days: number;
  /** Null: it counts the messages of all brands together. */
  brandId: number | null;
}

/** A marketing message that was handed over for a contact. */
export interface HandedOver {
  campaignId: number;
  brandId: number;
  /** Milliseconds since the epoch. */
  at: number;
}

/** A cap that is full, and the messages that fill it, the oldest first. */
export interface FullCap<T extends HandedOver> {
  cap: CapRule;
  by: T[];
  /** From when on there is room again, in milliseconds since the epoch. */
  until: number;
}

const DAY_MS = 86_400_000;

/** The longest of these caps that is full for a contact; nothing while each has room. */
export function findFullCap<T extends HandedOver>(
  caps: readonly CapRule[],
  messages: readonly T[],
  now: number,
): FullCap<T> | undefined {
  const inOrder = [...caps].sort((one, other) => other.days - one.days || one.messages - other.messages);
  for (const cap of inOrder) {
    const since = now - cap.days * DAY_MS;
    const by = messages
      .filter(({ brandId, at }) => at > since && (cap.brandId === null || brandId === cap.brandId))
      .sort((one, other) => one.at - other.at || one.campaignId - other.campaignId);
    if (by.length >= cap.messages) return { cap, by, until: by[by.length - cap.messages]!.at + cap.days * DAY_MS };
  }
  return undefined;
}
