export { type SendDayRow, sendDays } from './calendar';
export { createLetter, leaveLetter, noteLetter, settleLetter, takeLetter } from './letters';
export { queueDispatch } from './outbox';
export {
  domainsOfSends,
  isDeliveryOpen,
  endPaused,
  keepBack,
  keepPaused,
  pausedBy,
  letGo,
  leaveSend,
  noteMessageEvents,
  ownerOfSend,
  aboutSend,
  placesOfSends,
  type SendRow,
  type Settled,
  settleSends,
  takeSend,
  takeSends,
} from './sends';
export { keepShortLinks, shortLink } from './shortlinks';
