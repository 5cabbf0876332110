/** Hashes an order id in SQL: what stands in place of the id of an order once its person was erased. */
export const erasedOrderId = (orderId: string): string =>
  `'erased-' || substr(encode(sha256(convert_to(${orderId}, 'UTF8')), 'hex'), 1, 24)`;
