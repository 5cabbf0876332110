import { sayDone, sayName } from '@/core/rules';

/** Why somebody joined or left, as it is stored, in words: "placed an order", "country changed". */
export function sayCause(cause: string): string {
  const [kind, ...rest] = cause.split('/');
  const name = rest.join('/');
  switch (kind) {
    case 'first':
      return 'was so when the segment was first built';
    case 'rule':
      return 'the rule was changed';
    case 'time':
      return 'time went by';
    case '*':
      return 'came on file, or more than one thing changed at once';
    case 'gone':
      return 'is not on file any more';
    case 'attribute':
      return `${sayName(name)} changed`;
    case 'reach':
      return `whether they can be reached by ${name} changed`;
    case 'list':
      return `joined or left the list ${name}`;
    case 'segment':
      return `joined or left the segment ${name}`;
    case 'tag':
      return `the tag ${name} was put on or taken off`;
    default:
      return sayDone(cause);
  }
}
