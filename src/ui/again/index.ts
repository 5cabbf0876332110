export { AgainDialog, BoughtAgain } from './BoughtAgain';
