export { reportFigures } from './figures';
export { mailReport } from './mail';
export { sendDueReports, sendReportNow, type ReportJob } from './queue';
export { reportPage } from './page';
export { addReport, putReport, removeReport, report, reportDocument, reports, sharedReport, shareReport } from './reports';
