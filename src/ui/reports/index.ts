export { ReportScreen } from './ReportScreen';
export { ReportsScreen } from './ReportsScreen';
