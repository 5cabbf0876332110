export {
  changeFormState,
  confirm,
  type Confirmation,
  confirmationOf,
  DEVICE,
  files,
  formPage,
  forms,
  formView,
  keepFile,
  makeForm,
  promisedFile,
  submitForm,
  writeForm,
} from './forms';
export { leavePage, notCompletePage } from './leavepage';
export { fileAnswer, fileOverPage } from './fetchpage';
export { pushPageScript, pushWorkerScript, scriptAnswer } from './pushscripts';
export { ratePage } from './ratepage';
export { e, leadOn, pageAnswer, problemPage, problemText, publicPage } from './page';
export { choicesOf, personOfLink, prefsPage, saveChoices } from './prefs';
export { snippet } from './snippet';
export { speechFor } from './speech';
