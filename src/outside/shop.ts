import { randomUUID } from 'node:crypto';
import { drawProduct, productOf, products, type Product } from './catalogue';
import type { Config } from './config';
import { openJournal } from './journal';
import { page, escape as e, euros, type Answer, type Asked } from './page';

interface Cart {
  id: string;
  lines: { sku: string; quantity: number }[];
  email: string;
  firstName: string;
  agreed: boolean;
  /** where they shop from, ISO 3166; the opt-in box follows its rule */
  country: string;
  /** how the box stood before they touched it, and its words */
  box: { ticked: boolean; wording: string };
  /** whether the box was looked up for their country */
  isAsked: boolean;
  code: string;
  orderId: string | null;
  /** what its code took off as it was ordered */
  discount?: number;
  /** the browser, as Viatic's page snippet has named it: told along with the checkout, it is proof of whose browsing it is */
  device: string;
}

/** The shop's discount codes: the share off, and the cart value from which they count. */
const CODES: Record<string, { percent: number; from: number }> = { CLEAR10: { percent: 10, from: 100 } };

const rounded = (amount: number) => Math.round(amount * 100) / 100;
const subtotal = (cart: Cart) => rounded(cart.lines.reduce((sum, line) => sum + (productOf(line.sku)?.price ?? 0) * line.quantity, 0));

/** What a cart's code takes off, and what is said of it. */
interface Discount {
  amount: number;
  says: string;
}

/** Of a code that is the shop's own; null where it is not. */
function ownDiscount(cart: Cart): Discount | null {
  const code = CODES[cart.code.toUpperCase()];
  if (!cart.code) return { amount: 0, says: '' };
  if (!code) return null;
  if (subtotal(cart) < code.from) return { amount: 0, says: `${cart.code.toUpperCase()} counts from ${euros(code.from)} up.` };
  return { amount: rounded((subtotal(cart) * code.percent) / 100), says: `${code.percent} % off with ${cart.code.toUpperCase()}` };
}

/** Quillfin's shop: catalogue, cart, checkout. It tells Viatic what happens through the public API, as any shop would. */
export function openShop(config: Config, subscribe: (owner: string, key: string) => string) {
  const journal = openJournal<Cart>(`${config.folder}/carts.ndjson`);
  const carts = new Map(journal.entries.map((cart) => [cart.id, cart]));
  const base = `${config.viaticUrl}/outside/shop`;

  const keep = (cart: Cart): void => {
    carts.set(cart.id, cart);
    journal.add(cart);
  };
  const cartOf = (asked: Asked): Cart => {
    const known = carts.get(asked.cookies.quillfin_cart ?? '');
    return known && !known.orderId
      ? {
          ...structuredClone(known),
          country: known.country ?? 'NL',
          box: known.box ?? UNTOUCHED,
          isAsked: known.isAsked ?? false,
          device: deviceOf(asked) || known.device || '',
        }
      : {
          id: `cart-${randomUUID().slice(0, 13)}`,
          lines: [],
          email: '',
          firstName: '',
          agreed: false,
          country: 'NL',
          box: UNTOUCHED,
          isAsked: false,
          code: '',
          orderId: null,
          device: deviceOf(asked),
        };
  };
  const itemsOf = (cart: Cart) =>
    cart.lines.flatMap((line) => {
      const product = productOf(line.sku);
      return product
        ? [
            {
              sku: product.sku,
              name: product.name,
              quantity: line.quantity,
              price: product.price,
              category: product.kind,
              url: `${base}/p/${product.sku}`,
              image: `${base}/pictures/${product.sku}.svg`,
            },
          ]
        : [];
    });
  const personOf = (cart: Cart) => ({
    email: cart.email,
    ...(cart.device && { device: cart.device }),
    ...(cart.firstName && { firstName: cart.firstName }),
    ...(cart.country && { country: cart.country }),
    ...(cart.agreed && {
      consent: {
        email: true,
        how: 'checkout',
        place: `${base}/checkout`,
        wording: cart.box.wording,
        box: cart.box.ticked ? 'ticked' : 'unticked',
        country: cart.country,
      },
    }),
  });

  const tell = async (type: string, data: object): Promise<void> => {
    const answer = await fetch(`${config.viaticUrl}/api/v1/events`, {
      method: 'POST',
      headers: { 'content-type': 'application/json', authorization: `Bearer ${config.apiKey}` },
      body: JSON.stringify({ specversion: '1.0', id: randomUUID(), source: 'quillfin/shop', type, data }),
    });
    const told = (await answer.json()) as { rejected?: unknown[] };
    if (!answer.ok || told.rejected?.length) throw new Error(`the event was not taken: ${JSON.stringify(told)}`);
  };
  /** The opt-in box for a country, as the store has set it; a shop that cannot ask shows its own words, unticked. */
  const boxFor = async (country: string): Promise<Cart['box']> => {
    try {
      const answer = await fetch(`${config.viaticUrl}/api/v1/checkout-box?country=${encodeURIComponent(country)}`, {
        headers: { authorization: `Bearer ${config.apiKey}` },
      });
      const box = (await answer.json()) as Partial<Cart['box']>;
      return answer.ok && box.wording ? { ticked: box.ticked === true, wording: box.wording } : UNTOUCHED;
    } catch {
      return UNTOUCHED;
    }
  };
  /** What the cart's code takes off: the shop's own, or one of the marketing program, which is asked. */
  const discountOf = async (cart: Cart): Promise<Discount> => {
    const own = ownDiscount(cart);
    if (own) return own;
    const unknown = { amount: 0, says: `There is no code ${cart.code}.` };
    try {
      const answer = await fetch(`${config.viaticUrl}/api/v1/codes/check`, {
        method: 'POST',
        headers: { 'content-type': 'application/json', authorization: `Bearer ${config.apiKey}` },
        body: JSON.stringify({
          code: cart.code,
          ...(cart.email && { person: cart.email }),
          cart: {
            currency: 'EUR',
            value: subtotal(cart),
            items: itemsOf(cart).map((item) => ({ ...item, category: productOf(item.sku)?.kind })),
          },
        }),
      });
      const told = (await answer.json()) as {
        valid?: boolean;
        because?: string;
        why?: string;
        discount?: { minor: number };
        freeShipping?: boolean;
      };
      if (!answer.ok || told.why === 'unknown') return unknown;
      if (!told.valid) return { amount: 0, says: told.because ?? unknown.says };
      return { amount: (told.discount?.minor ?? 0) / 100, says: `${(told.because ?? '').replace(/\.$/, '')} with ${cart.code}` };
    } catch {
      return unknown;
    }
  };
  /** Without an address nobody knows whose cart it is, so nothing is told before there is one. */
  const tellCart = async (cart: Cart): Promise<void> => {
    if (!cart.email) return;
    await tell('cart.updated', {
      cartId: cart.id,
      currency: 'EUR',
      value: subtotal(cart),
      items: itemsOf(cart),
      checkoutUrl: `${base}/cart/${cart.id}`,
      person: personOf(cart),
    });
  };
  const withCart = (cart: Cart, location: string): Answer => ({
    status: 303,
    location,
    cookie: `quillfin_cart=${cart.id}; Path=/outside/shop; Max-Age=2592000; SameSite=Lax; HttpOnly`,
  });
  const count = (cart: Cart) => cart.lines.reduce((sum, line) => sum + line.quantity, 0);

  /** The page snippet, as the store's Data section says to put it in: it tells of browsing before anybody is known. */
  const tagged = (answer: Answer): Answer => {
    if (!config.snippet || !answer.body || answer.type) return answer;
    return {
      ...answer,
      body: answer.body
        .replace('<main>', `<script src="/outside/shop/shop.js"></script><main>`)
        .replace('</body>', `<script src="${config.viaticUrl}/snippet/${config.snippet}.js" async></script></body>`),
    };
  };

  return async (asked: Asked): Promise<Answer> => tagged(await answerTo(asked));

  async function answerTo(asked: Asked): Promise<Answer> {
    const cart = cartOf(asked);
    const [, , , place = '', detail = ''] = asked.path.split('/');
    const { form } = asked;
    if (asked.method === 'GET') {
      if (place === 'pictures') {
        const product = productOf(detail.replace(/\.svg$/, ''));
        return product ? { status: 200, body: drawProduct(product), type: 'image/svg+xml' } : { status: 404, body: 'no such picture' };
      }
      if (place === 'products.csv') return { status: 200, body: productsCsv(config.viaticUrl), type: 'text/csv; charset=utf-8' };
      if (place === 'shop.js') return { status: 200, body: SCRIPT, type: 'text/javascript; charset=utf-8' };
      if (place === '') return { status: 200, body: page('Quillfin', home(), count(cart)) };
      if (place === 'p') {
        const product = productOf(detail);
        return product
          ? { status: 200, body: page(product.name, productPage(product), count(cart)) }
          : { status: 404, body: page('Not found', '<h1>We do not have that</h1>', count(cart)) };
      }
      if (place === 'cart' && detail) {
        const left = carts.get(detail);
        if (!left)
          return {
            status: 404,
            body: page('Not found', '<h1>This cart is gone</h1><p><a href="/outside/shop">To the shop</a></p>', count(cart)),
          };
        if (left.orderId)
          return {
            status: 200,
            body: page(
              'Ordered',
              `<h1>This cart has been ordered</h1><p>Order ${e(left.orderId)}. <a href="/outside/shop">To the shop</a></p>`,
              0,
            ),
          };
        const back = structuredClone(left);
        const code = asked.query.get('code');
        if (code) {
          back.code = code.toUpperCase().slice(0, 40);
          keep(back);
        }
        // who came by a link in a mail is told to the next page by the same seal
        const who = asked.query.get('viatic_who');
        return withCart(back, `/outside/shop/cart${who ? `?viatic_who=${encodeURIComponent(who)}` : ''}`);
      }
      if (place === 'cart') return { status: 200, body: page('Your cart', cartPage(cart, await discountOf(cart)), count(cart)) };
      if (place === 'checkout' && cart.lines.length && !cart.isAsked) {
        cart.isAsked = true;
        cart.box = await boxFor(cart.country);
        cart.agreed = cart.box.ticked;
        keep(cart);
      }
      if (place === 'checkout')
        return cart.lines.length
          ? { status: 200, body: page('Checkout', checkoutPage(cart, await discountOf(cart)), count(cart)) }
          : { status: 303, location: '/outside/shop/cart' };
      if (place === 'thanks') {
        const done = [...carts.values()].find((one) => one.orderId === detail);
        return {
          status: 200,
          body: page(
            'Thank you',
            `<h1>Thank you${done?.firstName ? `, ${e(done.firstName)}` : ''}</h1><p>Your order <b data-testid="order-id">${e(detail)}</b>${done ? ` over <b>${euros(rounded(subtotal(done) - (done.discount ?? 0)))}</b>` : ''} is on its way to our packers.</p>${
              config.vapidKey && done?.email
                ? `<form method="post" action="/outside/shop/device/${e(detail)}"><p><button>Tell me on this device when something is new</button></p></form>`
                : ''
            }<p><a class="button" href="/outside/shop">Go on looking around</a></p>`,
            count(cart),
          ),
        };
      }
      return { status: 404, body: page('Not found', '<h1>Nothing here</h1>', count(cart)) };
    }

    if (place === 'cart') {
      const product = productOf(form.get('sku') ?? '');
      if (product) {
        const quantity = Math.max(0, Math.min(99, Math.floor(Number(form.get('quantity') ?? 1)) || 0));
        const line = cart.lines.find((one) => one.sku === product.sku);
        if (detail === 'add') {
          if (line) line.quantity = Math.min(99, line.quantity + quantity);
          else cart.lines.push({ sku: product.sku, quantity });
        } else if (line) line.quantity = quantity;
        cart.lines = cart.lines.filter((one) => one.quantity > 0);
        keep(cart);
        await tellCart(cart);
      }
      return withCart(cart, '/outside/shop/cart');
    }
    // what the browser of a page would do: ask its push service for a subscription, and hand it to the shop
    const whose = place === 'device' ? [...carts.values()].find((one) => one.orderId === detail) : undefined;
    if (whose?.email && config.vapidKey) {
      const pushToken = subscribe(whose.email, config.vapidKey);
      await tell('push.subscribed', { orderId: detail, person: { email: whose.email, pushToken, consent: { push: true } } });
      return {
        status: 200,
        body: page('On this device', '<h1>You will hear of it here</h1><p><a href="/outside/shop">To the shop</a></p>', count(cart)),
      };
    }
    if (place === 'checkout' && cart.lines.length) {
      const email = (form.get('email') ?? '').trim().slice(0, 254);
      cart.email = /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(email) ? email : '';
      cart.firstName = (form.get('firstName') ?? '').trim().slice(0, 80);
      cart.agreed = form.get('agreed') === 'yes';
      const country = form.get('country') ?? cart.country;
      if (country !== cart.country && COUNTRIES.some(([code]) => code === country)) {
        cart.country = country;
        cart.box = await boxFor(country);
        cart.agreed = cart.box.ticked;
      } else if (!cart.box.wording) cart.box = UNTOUCHED;
      cart.code = (form.get('code') ?? '').trim().slice(0, 40);
      if (!cart.email && detail === 'country') {
        keep(cart);
        return withCart(cart, '/outside/shop/checkout');
      }
      if (!cart.email)
        return detail === 'keep'
          ? { status: 204 }
          : {
              status: 422,
              body: page('Checkout', checkoutPage(cart, await discountOf(cart), 'Please give a complete email address.'), count(cart)),
            };
      if (detail === 'keep') {
        keep(cart);
        await tellCart(cart);
        return { status: 204 };
      }
      if (detail === 'code' || detail === 'country') {
        keep(cart);
        if (detail === 'code') await tellCart(cart);
        return withCart(cart, '/outside/shop/checkout');
      }
      cart.orderId = `QF-${String(Date.now()).slice(-8)}${Math.floor(Math.random() * 90 + 10)}`;
      const discount = (await discountOf(cart)).amount;
      cart.discount = discount;
      await tell('order.placed', {
        orderId: cart.orderId,
        cartId: cart.id,
        currency: 'EUR',
        value: rounded(subtotal(cart) - discount),
        discount,
        codes: discount ? [cart.code.toUpperCase()] : [],
        items: itemsOf(cart),
        person: personOf(cart),
      });
      keep(cart);
      return { status: 303, location: `/outside/shop/thanks/${cart.orderId}`, cookie: 'quillfin_cart=; Path=/outside/shop; Max-Age=0' };
    }
    return { status: 303, location: '/outside/shop' };
  }
}

const AGREEMENT = 'Yes, write to me about my tank and about offers. I can leave at any time.';
const UNTOUCHED: Cart['box'] = { ticked: false, wording: AGREEMENT };
const COUNTRIES = [
  ['NL', 'Netherlands'],
  ['BE', 'Belgium'],
  ['DE', 'Germany'],
  ['FR', 'France'],
  ['AT', 'Austria'],
  ['DK', 'Denmark'],
  ['IE', 'Ireland'],
  ['US', 'United States'],
] as const;

function home(): string {
  const kinds = [...new Set(products.map((product) => product.kind))];
  return `<h1>Everything for a calm tank</h1>${kinds
    .map(
      (kind) =>
        `<h2>${e(kind[0]!.toUpperCase() + kind.slice(1))}</h2><div class="grid">${products
          .filter((product) => product.kind === kind)
          .map(card)
          .join('')}</div>`,
    )
    .join('')}`;
}

function card(product: Product): string {
  return `<div class="card"><a href="/outside/shop/p/${product.sku}"><img src="/outside/shop/pictures/${product.sku}.svg" alt="" width="160" height="160"><span>${e(product.name)}</span></a><div class="buy"><b>${euros(product.price)}</b>${addForm(product)}</div></div>`;
}

function addForm(product: Product): string {
  return `<form method="post" action="/outside/shop/cart/add"><input type="hidden" name="sku" value="${product.sku}"><button aria-label="Put ${e(product.name)} in the cart">To cart</button></form>`;
}

function productPage(product: Product): string {
  return `<div class="product" data-sku="${product.sku}" data-name="${e(product.name)}" data-price="${product.price}"><img src="/outside/shop/pictures/${product.sku}.svg" alt="" width="320" height="320"><div><h1>${e(product.name)}</h1><p>${e(product.kind)} · ${product.sku}</p><p class="price">${euros(product.price)}</p>${addForm(product)}</div></div>`;
}

function totals(cart: Cart, { amount, says }: Discount): string {
  return `${says ? `<p class="note">${e(says)}${amount ? `: −${euros(amount)}` : ''}</p>` : ''}<p class="price" data-testid="total">Total ${euros(rounded(subtotal(cart) - amount))}</p>`;
}

function cartPage(cart: Cart, discount: Discount): string {
  if (!cart.lines.length) return '<h1>Your cart is empty</h1><p><a class="button" href="/outside/shop">Look around</a></p>';
  const rows = cart.lines.map((line) => {
    const product = productOf(line.sku)!;
    return `<tr><td><img src="/outside/shop/pictures/${product.sku}.svg" alt="" width="64" height="64"></td><td>${e(product.name)}</td><td><form method="post" action="/outside/shop/cart/set"><input type="hidden" name="sku" value="${product.sku}"><input type="number" name="quantity" value="${line.quantity}" min="0" max="99" aria-label="Quantity of ${e(product.name)}"><button class="plain">Change</button></form></td><td>${euros(rounded(product.price * line.quantity))}</td></tr>`;
  });
  return `<h1>Your cart</h1><table>${rows.join('')}</table>${totals(cart, discount)}<p><a class="button" href="/outside/shop/checkout">To checkout</a></p>`;
}

function checkoutPage(cart: Cart, discount: Discount, problem = ''): string {
  return `<h1>Checkout</h1><form id="checkout" method="post" action="/outside/shop/checkout/place" class="checkout">
${problem ? `<p class="problem" role="alert">${e(problem)}</p>` : ''}
<label>Email<input name="email" type="email" required value="${e(cart.email)}" autocomplete="email"></label>
<label>Country<select name="country">${COUNTRIES.map(([code, name]) => `<option value="${code}"${code === cart.country ? ' selected' : ''}>${name}</option>`).join('')}</select></label>
<label>First name<input name="firstName" value="${e(cart.firstName)}" autocomplete="given-name"></label>
<label class="box"><input type="checkbox" name="agreed" value="yes"${cart.agreed ? ' checked' : ''}> ${e(cart.box.wording)}</label>
<label>Discount code<span class="row"><input name="code" value="${e(cart.code)}"><button class="plain" formaction="/outside/shop/checkout/code">Use</button></span></label>
${totals(cart, discount)}<button>Order and pay</button> <span id="kept" class="note" role="status"></span></form>`;
}

/** The page's own script: the snippet's early words, what product is looked at, and a checkout that is kept as it is filled in. */
const SCRIPT = `window.viatic=window.viatic||{q:[]};
["track","identify","product","cart","forget"].forEach(function(n){viatic[n]=viatic[n]||function(){viatic.q.push([n].concat([].slice.call(arguments)))}});
document.addEventListener("DOMContentLoaded",function(){
  var p=document.querySelector("[data-sku]"),f=document.getElementById("checkout"),s=document.getElementById("kept");
  if(p)viatic.product({sku:p.dataset.sku,name:p.dataset.name,price:Number(p.dataset.price)});
  if(f)f.addEventListener("change",async function(c){
    if(c.target.name==="country"){f.action="/outside/shop/checkout/country";f.noValidate=true;f.submit();return}
    if(!f.email.value||!f.email.checkValidity())return;
    var r=await fetch("/outside/shop/checkout/keep",{method:"POST",body:new URLSearchParams(new FormData(f)),keepalive:true});
    s.textContent=r.ok?"We keep your cart for you.":"";
  });
});`;
/** The snippet's own name for the browser, or nothing. */
const deviceOf = (asked: Asked): string => (/^[A-Za-z0-9_-]{16,64}$/.test(asked.cookies.viatic_id ?? '') ? asked.cookies.viatic_id! : '');

/** The shop's range as a file that others read by themselves. */
const productsCsv = (origin: string): string =>
  [
    'id,title,price,link,image_link,category',
    ...products.map(
      ({ sku, name, price, kind }) =>
        `${sku},"${name.replaceAll('"', '""')}",${price.toFixed(2)} EUR,${origin}/outside/shop/p/${sku},${origin}/outside/shop/pictures/${sku}.svg,${kind}`,
    ),
  ].join('\r\n');
