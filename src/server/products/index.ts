export { products, productView, putProduct, putProducts } from './products';
