export { compileLetter, type Letter, type Press } from './compile';
export { fillLetter, type Found } from './fill';
export { atNight, byDay } from './look';
export { cartItems, type Shown } from './lists';
export { docOf, markdownOf, type DocNode } from './document';
