import { redirect } from 'next/navigation';
import { screen } from '@/server/access';

export default screen(() => redirect('/today'));
