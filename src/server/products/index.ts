export { products, productView, putProduct, putProducts } from './products';
export { productFeeds, putProductFeed, readProductFeeds, removeProductFeed } from './feeds';
