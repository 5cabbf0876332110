export { ProductsScreen } from './ProductsScreen';
