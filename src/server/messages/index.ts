export { allHandedOver, answeredOf, dispatch, type Dispatch, giveUp, offerWords, personalOf, tryRender } from './dispatch';
export { openTraffic } from './lanes';
export { sendLetter, writeTo } from './letters';
export { type LinkToken, openLink, sealLink } from './links';
export { type Mailer, openMailer } from './mail';
export { mailReport } from './mailhook';
export { noteTouch } from './touch';
export { openLanes, type Lanes } from './lanes';
