/** What a letter says by itself, beside what its author has written. */
export interface LetterWords {
  /** why somebody gets it, in the footer of marketing */
  readonly why: (store: string) => string;
  readonly unsubscribe: string;
  readonly choose: string;
  readonly order: string;
  readonly total: string;
  readonly parcel: string;
  /** before the name of who brings the parcel */
  readonly by: string;
  /** of a list that goes on: how many are not shown; at least one */
  readonly more: (count: number) => string;
  /** of an item of a cart in plain text */
  readonly each: string;
  /** how long a file can be fetched; at least one day */
  readonly forDays: (days: number) => string;
  readonly good: string;
  readonly notGood: string;
  /** an answer to a question: so many of five */
  readonly ofFive: (value: string) => string;
}

/** What the pages say that people come to by a letter: leaving, choosing what one gets, answering, fetching a file. */
export interface PageWords {
  readonly unsubscribing: string;
  readonly press: string;
  readonly unsubscribeFrom: (store: string) => string;
  readonly unsubscribed: string;
  readonly noMore: (store: string) => string;
  readonly ordersStill: string;
  readonly close: string;
  readonly chooseInstead: string;
  readonly notComplete: string;
  readonly openAgain: (store: string) => string;
  readonly whatYouGet: (store: string) => string;
  readonly how: string;
  readonly byEmail: (store: string) => string;
  readonly bySms: (store: string) => string;
  readonly byPush: (store: string) => string;
  readonly whatAbout: string;
  readonly whatWeSee: string;
  readonly mayCount: (store: string) => string;
  readonly pause: string;
  readonly noPause: string;
  readonly twoWeeks: string;
  readonly month: string;
  readonly threeMonths: string;
  readonly untilAsIs: (date: string) => string;
  readonly pauseMeans: string;
  readonly save: string;
  readonly enough: string;
  readonly leaveAll: string;
  readonly leftAll: string;
  readonly kept: string;
  readonly giveAnswer: string;
  readonly thanks: string;
  readonly tellWhy: (store: string) => string;
  readonly byPerson: string;
  readonly send: string;
  readonly gotWords: (store: string) => string;
  readonly yourFile: string;
  readonly fileOver: string;
  readonly fileOverMeans: (store: string) => string;
}

/** What we say by ourselves in a language, to people who get letters. */
export interface Tongue {
  readonly letter: LetterWords;
  readonly page: PageWords;
}
