export { PlacesScreen } from './PlacesScreen';
