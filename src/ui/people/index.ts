export { AttributesScreen } from './AttributesScreen';
export { ConsentRecord } from './ConsentRecord';
export { ConsentScreen } from './ConsentScreen';
export { ListScreen } from './ListScreen';
export { ListsScreen } from './ListsScreen';
export { MergesScreen } from './MergesScreen';
export { PeopleTable } from './PeopleTable';
export { PersonScreen } from './PersonScreen';
