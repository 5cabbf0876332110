import { env } from '../base';

/** For a page of the shop: asks the reader, and answers with the subscription of their browser as a text, which the shop's server tells us as `pushToken`. */
export const pushPageScript = (): string => `(function(w,n){"use strict";
w.viaticPush=function(worker){
if(!n.serviceWorker||!w.PushManager)return Promise.reject(new Error("this browser takes no push messages"));
return n.serviceWorker.register(worker||"/viatic-push.js").then(function(){return n.serviceWorker.ready}).then(function(r){
return r.pushManager.subscribe({userVisibleOnly:true,applicationServerKey:${JSON.stringify(env().vapid?.publicKey ?? '')}})
}).then(function(s){return JSON.stringify(s)})}})(window,navigator);`;

/** For the shop's own service worker, by importScripts: shows what comes, and opens where it leads. */
export const pushWorkerScript = (): string => `self.addEventListener("push",function(e){"use strict";var d={};try{d=e.data.json()}catch(x){}
e.waitUntil(self.registration.showNotification(String(d.title||""),{body:String(d.text||""),image:d.picture||undefined,data:{url:d.url||""}}))});
self.addEventListener("notificationclick",function(e){"use strict";e.notification.close();var u=e.notification.data&&e.notification.data.url;
if(/^https?:/.test(u||""))e.waitUntil(self.clients.openWindow(u))});`;

/** A script that pages of others load. */
export const scriptAnswer = (script: string): Response =>
  new Response(script, {
    headers: {
      'content-type': 'text/javascript; charset=utf-8',
      'cache-control': 'public, max-age=300',
      'cross-origin-resource-policy': 'cross-origin',
    },
  });
