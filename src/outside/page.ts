/** A request as the stand-ins see it. */
export interface Asked {
  readonly method: string;
  readonly path: string;
  readonly query: URLSearchParams;
  readonly cookies: Record<string, string>;
  readonly form: URLSearchParams;
  readonly body: string;
}

export interface Answer {
  readonly status: number;
  readonly body?: string;
  readonly type?: string;
  readonly location?: string;
  readonly cookie?: string;
}

export const escape = (text: string): string => text.replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`);
export const euros = (amount: number): string => `€${amount.toFixed(2)}`;

const STYLE = `body{margin:0;background:#eef4f3;color:#17313a;font:16px/24px Georgia,'Times New Roman',serif}header{background:#12424c;color:#fff;padding:14px 28px;display:flex;justify-content:space-between;align-items:center}header a{color:#fff;text-decoration:none}header .name{font-size:24px;letter-spacing:.02em}main{max-width:1000px;margin:0 auto;padding:24px 28px 60px}h1{font-size:28px;line-height:36px;font-weight:normal}h2{font-size:19px;font-weight:normal;border-bottom:1px solid #bcd2d0;padding-bottom:6px;margin-top:32px}.grid{display:grid;grid-template-columns:repeat(auto-fill,minmax(170px,1fr));gap:16px}.card{background:#fff;border-radius:10px;padding:12px;display:flex;flex-direction:column;justify-content:space-between}.card img{width:100%;height:auto;border-radius:6px}.card a{color:inherit;text-decoration:none}.card span{display:block;margin:8px 0}.buy{display:flex;justify-content:space-between;align-items:center}button,.button{background:#d9542b;color:#fff;border:0;border-radius:20px;padding:9px 18px;font:inherit;font-size:15px;cursor:pointer;text-decoration:none;display:inline-block}.plain{background:#dbe8e6;color:#12424c}.product{display:grid;grid-template-columns:320px 1fr;gap:32px}.product img{border-radius:10px}.price{font-size:22px}table{border-collapse:collapse;width:100%;background:#fff;border-radius:10px}td{padding:10px 14px;border-bottom:1px solid #e3eceb}input{font:inherit;padding:8px 10px;border:1px solid #7fa19f;border-radius:6px}input[type=number]{width:64px}.checkout{display:grid;gap:16px;max-width:460px;background:#fff;padding:24px;border-radius:10px}.checkout label{display:grid;gap:4px}.checkout .box{display:flex;gap:10px;align-items:flex-start}.row{display:flex;gap:8px}.row input{flex:1}.note{color:#2d6a5f}.problem{color:#b3261e}:focus-visible{outline:3px solid #d9542b;outline-offset:2px}`;

/** A page of the shop in its frame. */
export function page(title: string, content: string, inCart: number): string {
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escape(title)} · Quillfin</title><style>${STYLE}</style></head><body><header><a class="name" href="/outside/shop">Quillfin</a><a href="/outside/shop/cart">Cart (${inCart})</a></header><main>${content}</main></body></html>`;
}
