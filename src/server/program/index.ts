export { type Jobs, QUEUES, startJobs, tasksOf } from './jobs';
