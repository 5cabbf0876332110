export { catalogue, catalogueType, keepCatalogue } from './catalogue';
export {
  arrivals,
  changeSource,
  makeSource,
  rejections,
  snippetSecret,
  sourceDetail,
  sourceList,
  storeMapping,
  testSource,
  tryMapping,
} from './manage';
export { collect, siteOf } from './page';
export { withProof } from './proof';
export { takeWebhook } from './webhook';
