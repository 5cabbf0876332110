/** What a letter says by itself, beside what its author has written. */
export interface Words {
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

const many = (count: number, one: string, more: (count: number) => string) => (count === 1 ? one : more(count));

const ENGLISH: Words = {
  why: (store) => `You get this because you agreed to news from ${store}.`,
  unsubscribe: 'Unsubscribe',
  choose: 'Choose what you get',
  order: 'Order',
  total: 'Total',
  parcel: 'Parcel',
  by: 'with',
  more: (count) => `and ${count} more`,
  each: 'each',
  forDays: (days) => many(days, 'for one day', (n) => `for ${n} days`),
  good: 'Good',
  notGood: 'Not good',
  ofFive: (value) => `${value} of 5`,
};

/** By language (ISO 639-1); what is not here is said in English. */
const WORDS: { readonly [language: string]: Words } = {
  en: ENGLISH,
  nl: {
    why: (store) => `Je krijgt dit omdat je nieuws van ${store} wilde ontvangen.`,
    unsubscribe: 'Afmelden',
    choose: 'Kies wat je ontvangt',
    order: 'Bestelling',
    total: 'Totaal',
    parcel: 'Pakket',
    by: 'met',
    more: (count) => `en nog ${count}`,
    each: 'per stuk',
    forDays: (days) => many(days, 'één dag geldig', (n) => `${n} dagen geldig`),
    good: 'Goed',
    notGood: 'Niet goed',
    ofFive: (value) => `${value} van 5`,
  },
  de: {
    why: (store) => `Sie erhalten diese Nachricht, weil Sie Neuigkeiten von ${store} bestellt haben.`,
    unsubscribe: 'Abmelden',
    choose: 'Auswählen, was Sie erhalten',
    order: 'Bestellung',
    total: 'Summe',
    parcel: 'Paket',
    by: 'mit',
    more: (count) => `und ${count} mehr`,
    each: 'je Stück',
    forDays: (days) => many(days, 'einen Tag lang', (n) => `${n} Tage lang`),
    good: 'Gut',
    notGood: 'Nicht gut',
    ofFive: (value) => `${value} von 5`,
  },
  fr: {
    why: (store) => `Vous recevez ce message parce que vous avez accepté les nouvelles de ${store}.`,
    unsubscribe: 'Se désinscrire',
    choose: 'Choisir ce que vous recevez',
    order: 'Commande',
    total: 'Total',
    parcel: 'Colis',
    by: 'par',
    more: (count) => `et ${count} de plus`,
    each: 'pièce',
    forDays: (days) => many(days, 'pendant un jour', (n) => `pendant ${n} jours`),
    good: 'Bien',
    notGood: 'Pas bien',
    ofFive: (value) => `${value} sur 5`,
  },
  es: {
    why: (store) => `Recibe este mensaje porque aceptó recibir noticias de ${store}.`,
    unsubscribe: 'Darse de baja',
    choose: 'Elegir lo que recibe',
    order: 'Pedido',
    total: 'Total',
    parcel: 'Paquete',
    by: 'con',
    more: (count) => `y ${count} más`,
    each: 'cada uno',
    forDays: (days) => many(days, 'durante un día', (n) => `durante ${n} días`),
    good: 'Bien',
    notGood: 'Mal',
    ofFive: (value) => `${value} de 5`,
  },
  it: {
    why: (store) => `Riceve questo messaggio perché ha accettato le novità di ${store}.`,
    unsubscribe: 'Annulla l’iscrizione',
    choose: 'Scegli che cosa ricevere',
    order: 'Ordine',
    total: 'Totale',
    parcel: 'Pacco',
    by: 'con',
    more: (count) => many(count, 'e un altro', (n) => `e altri ${n}`),
    each: 'l’uno',
    forDays: (days) => many(days, 'per un giorno', (n) => `per ${n} giorni`),
    good: 'Bene',
    notGood: 'Male',
    ofFive: (value) => `${value} su 5`,
  },
  pt: {
    why: (store) => `Recebe esta mensagem porque aceitou receber novidades de ${store}.`,
    unsubscribe: 'Cancelar a subscrição',
    choose: 'Escolher o que recebe',
    order: 'Encomenda',
    total: 'Total',
    parcel: 'Pacote',
    by: 'com',
    more: (count) => `e mais ${count}`,
    each: 'cada',
    forDays: (days) => many(days, 'durante um dia', (n) => `durante ${n} dias`),
    good: 'Bom',
    notGood: 'Mau',
    ofFive: (value) => `${value} de 5`,
  },
  da: {
    why: (store) => `Du får denne besked, fordi du har sagt ja til nyheder fra ${store}.`,
    unsubscribe: 'Afmeld',
    choose: 'Vælg, hvad du får',
    order: 'Ordre',
    total: 'I alt',
    parcel: 'Pakke',
    by: 'med',
    more: (count) => `og ${count} til`,
    each: 'pr. stk.',
    forDays: (days) => many(days, 'i én dag', (n) => `i ${n} dage`),
    good: 'God',
    notGood: 'Ikke god',
    ofFive: (value) => `${value} af 5`,
  },
  sv: {
    why: (store) => `Du får det här för att du har sagt ja till nyheter från ${store}.`,
    unsubscribe: 'Avsluta prenumerationen',
    choose: 'Välj vad du får',
    order: 'Beställning',
    total: 'Totalt',
    parcel: 'Paket',
    by: 'med',
    more: (count) => `och ${count} till`,
    each: 'styck',
    forDays: (days) => many(days, 'i en dag', (n) => `i ${n} dagar`),
    good: 'Bra',
    notGood: 'Inte bra',
    ofFive: (value) => `${value} av 5`,
  },
  nb: {
    why: (store) => `Du får dette fordi du har sagt ja til nyheter fra ${store}.`,
    unsubscribe: 'Meld deg av',
    choose: 'Velg hva du får',
    order: 'Ordre',
    total: 'Totalt',
    parcel: 'Pakke',
    by: 'med',
    more: (count) => `og ${count} til`,
    each: 'per stk.',
    forDays: (days) => many(days, 'i én dag', (n) => `i ${n} dager`),
    good: 'Bra',
    notGood: 'Ikke bra',
    ofFive: (value) => `${value} av 5`,
  },
};

/** What a letter says by itself in a language; in English where that is not known. */
export const wordsIn = (language: string): Words => WORDS[language] ?? ENGLISH;
/** The languages in which letters say by themselves what they say. */
export const SAID_IN: readonly string[] = Object.keys(WORDS);
