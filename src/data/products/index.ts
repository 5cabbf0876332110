export {
  changesBetween,
  claimTelling,
  findProduct,
  findProducts,
  listProducts,
  lockProducts,
  noteChanges,
  noteTelling,
  saveProducts,
  type KeptProduct,
  type Telling,
} from './products';
export * from './feeds';
