import { Empty } from '@/ui/kit';

export default function NotFound() {
  return <Empty title="There is nothing at this address">It may have been removed, or the address is not complete.</Empty>;
}
