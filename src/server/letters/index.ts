export { cleanHtml, letterOf, press, readBrands, type Brands } from './press';
export { tryRender } from './render';
export { findForLetters, type FoundProduct, type FoundWithWhy, type Recipient } from './found';
export { brand, brands, putBrand, removeBrand } from './brands';
export { entriesOf, feeds, putFeed, readFeeds, removeFeed } from './feeds';
export { keepInLibrary, library, libraryRevision, libraryView, putInLibrary, replaceWords } from './library';
export { keepRelations } from './relations';
export { renderAs, sendTest, tellingFor } from './show';
export { confirmSender, keptByWarmUp, putSender, putWarmUp, readSenders, removeSender, senders } from './senders';
