export { Composer } from './Composer';
export { useAudience } from './Conditions';
export { Thumb } from './Thumb';
export { BrandScreen } from './BrandScreen';
export { FeedsScreen } from './FeedsScreen';
export { LibraryScreen } from './LibraryScreen';
export { MessageScreen } from './MessageScreen';
export { FromLibrary } from './FromLibrary';
