export { acts, actsFile } from './acts';
export { changeRole, invite, inviteAgain, removeMember, team } from './team';
