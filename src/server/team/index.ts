export { acts, actsFile } from './acts';
export { changeRole, changeSigningIn, invite, inviteAgain, removeMember, team } from './team';
