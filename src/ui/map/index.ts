export { LineMap, type MapEditing } from './LineMap';
export { putAt, type Spot } from './aim';
export { drawingOf, targetOf, type Drawing } from './drawing';
export { PLAIN_LAYER, type FigureLine, type MapLayer } from './layer';
export { laneColour, StopIcon } from './marks';
export { MapPicture } from './MapPicture';
export { MiniMap } from './MiniMap';
