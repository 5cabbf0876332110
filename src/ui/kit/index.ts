export { Bars, type Bar } from './Bars';
export { CsvField } from './CsvField';
export { Dialog } from './Dialog';
export { Ask, attempt, wordsOf } from './Ask';
export { AsTable } from './Chart';
export { ChartFrame } from './ChartFrame';
export { Curve, type CurveLine, type CurveStep } from './Curve';
export { useReading } from './useReading';
export { Copied, Json, Label, Named, Page, Part, Places } from './Page';
export { DurationField } from './DurationField';
export { Drop } from './Drop';
export { StateFilter, WordFilter } from './Filters';
export { Link } from './Link';
export { type Me, MeProvider, useMayNot } from './may';
export { Menu, type MenuItem } from './Menu';
export { ReadDialog } from './ReadDialog';
export { SavingNote } from './SavingNote';
export { saveAs } from './saveAs';
export { Spans, type Span } from './Spans';
export { Spark } from './Spark';
export { Table, type FarRows, type Sorting, type TableColumn } from './Table';
export { Progress, useWork } from './Work';
export { api, ApiError } from './api';
export { areaClass, Button, Entry, Field, fieldClass, inputClass, NumberField, WordList } from './form';
export { placeProblems, useAsked, type Asked } from './asked';
export {
  percent,
  plural,
  isoOf,
  sayCalendarDay,
  sayCalendarMonth,
  sayCount,
  sayHours,
  sayNames,
  sayDate,
  sayDay,
  sayMoment,
  sayShare,
  sayShort,
  sayTime,
} from './format';
export { Empty, Failed, NotKnown, ofBefore, StateSignal } from './states';
export { type StoreInfo, StoreProvider, useStore, useStoreTime } from './store';
export { issuesOf, useDraft, useUndo } from './useDraft';
export { doneUndoable } from './undo';
export { UndoActs } from './UndoActs';
export { useWriting } from './useWriting';
export { TEST_METRICS } from './testMetrics';
