export { CatalogueScreen } from './CatalogueScreen';
export { SourceScreen } from './SourceScreen';
export { SourcesScreen } from './SourcesScreen';
export { TypeScreen } from './TypeScreen';
