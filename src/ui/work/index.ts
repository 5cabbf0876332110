export { FilesScreen } from './FilesScreen';
export { ImportScreen } from './ImportScreen';
export { ImportedScreen } from './ImportedScreen';
