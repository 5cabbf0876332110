export { changeComment, commentsOf, deleteComment, sayOf } from './comments';
export { notified, noticesFor, seen, setNotified, tellTeam } from './notices';
