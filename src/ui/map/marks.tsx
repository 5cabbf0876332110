import {
  ClipboardCheck,
  PhoneOutgoing,
  CornerUpRight,
  Dices,
  Flag,
  Hourglass,
  Lightbulb,
  LogIn,
  Mail,
  MailX,
  NotebookPen,
  Radio,
  Split,
  Square,
  StickyNote,
  TableProperties,
  Ticket,
  UserPen,
} from 'lucide-react';

/** The sign of a kind of stop. */
export function StopIcon({ kind, isOff }: { kind: string; isOff?: boolean }) {
  const props = { size: 14, 'aria-hidden': true } as const;
  switch (kind) {
    case 'trigger':
      return <Radio {...props} />;
    case 'entry':
      return <LogIn {...props} />;
    case 'branch':
      return <Split {...props} className="rotate-90" />;
    case 'test':
      return <Dices {...props} />;
    case 'record':
      return <NotebookPen {...props} />;
    case 'wait':
      return <Hourglass {...props} />;
    case 'update':
      return <UserPen {...props} />;
    case 'code':
      return <Ticket {...props} />;
    case 'call':
      return <PhoneOutgoing {...props} />;
    case 'task':
      return <ClipboardCheck {...props} />;
    case 'lookup':
      return <TableProperties {...props} />;
    case 'note':
      return <StickyNote {...props} />;
    case 'hand':
      return <CornerUpRight {...props} />;
    case 'idea':
      return <Lightbulb {...props} />;
    case 'send':
      return isOff ? <MailX {...props} /> : <Mail {...props} />;
    case 'goal':
      return <Flag {...props} />;
    default:
      return <Square {...props} fill="currentColor" />;
  }
}

export const laneColour = (lane: number) => `var(--lane-${lane % 6})`;
