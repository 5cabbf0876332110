import { env } from '../base';

/**
 * The page snippet, as it is served: first-party id, batches, a last word by beacon when the page is left, silence
 * where the reader asks not to be tracked. Who somebody is it tells with what shows it: a token of the shop's server, or
 * our seal from a click in a mail, which it takes out of the address. Kept small by hand: it is on every page of a shop.
 */
export function snippet(key: string): string {
  return `(function(w,d,n){
"use strict";
var U=${JSON.stringify(`${env().url}/api/collect/${key}`)},K="viatic_id",P="viatic_who",q=[],t=0,me=null,tok=null,arr=null,
quiet=n.doNotTrack==="1"||w.doNotTrack==="1"||n.globalPrivacyControl===true;
function rnd(){var a=new Uint8Array(18),s="",i;w.crypto.getRandomValues(a);
for(i=0;i<18;i++)s+="ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789-_".charAt(a[i]&63);return s}
function get(k){var m=d.cookie.match("(?:^|; )"+k+"=([^;]*)");return m?decodeURIComponent(m[1]):null}
function set(k,v){d.cookie=k+"="+encodeURIComponent(v)+"; path=/; max-age="+(v?34128000:0)+"; samesite=lax"+(location.protocol==="https:"?"; secure":"")}
function id(){var v=get(K);if(!v){v=rnd();set(K,v)}return v}
function hash(s){var h=5381,i;for(i=0;i<s.length;i++)h=(h*33^s.charCodeAt(i))>>>0;return h.toString(36)}
function flush(last){clearTimeout(t);t=0;if(!q.length)return;
var part=q.splice(0,50),b={device:id(),events:part};if(me)b.person=me;if(tok)b.token=tok;if(arr)b.arrived=arr;b=JSON.stringify(b);
if(last&&n.sendBeacon&&n.sendBeacon(U,b))return;
fetch(U,{method:"POST",body:b,keepalive:b.length<6e4,credentials:"omit"}).then(function(r){if(r.status>=500)throw 0},0)
.catch(function(){if(!last){q=part.concat(q).slice(-200);t=setTimeout(flush,5e3)}});
if(q.length)flush(last)}
function track(type,data){if(quiet)return;q.push({id:rnd(),type:type,time:new Date().toISOString(),data:data||{}});
if(q.length>=20)flush();else if(!t)t=setTimeout(flush,1e3)}
function here(){return location.href.split("#")[0].replace(/([?&])viatic_who=[^&]*(&|$)/,function(_,a,b){return b?a:""})}
function page(){track("page.viewed",{url:here(),title:[...d.title].slice(0,200).join(""),referrer:d.referrer.split("?")[0]})}
var api={track:track,page:page,product:function(p){track("product.viewed",p)},cart:function(c){track("cart.updated",c)},
identify:function(p){if(quiet||!p)return;var k=typeof p==="string",h;
if(k){try{h=JSON.parse(atob(p.split(".")[1].replace(/-/g,"+").replace(/_/g,"/")))}catch(e){return}}else h=p;
h=hash((h.sub||h.externalId||"")+"|"+(h.email||"").toLowerCase());
if(get(P)&&get(P)!==h){flush();arr=null;set(K,rnd())}set(P,h);me=tok=null;
if(k)tok=p;else{me={};if(p.email)me.email=p.email;if(p.externalId)me.externalId=p.externalId}track("app.identified",{})},
forget:function(){flush();me=tok=arr=null;set(P,"");set(K,rnd())},flush:flush};
d.addEventListener("submit",function(e){var f=e.target;
if(f&&f.getAttribute&&f.hasAttribute("data-viatic-form"))
track("form.submitted",{formId:f.getAttribute("data-viatic-form"),url:here()})},true);
var came=Date.now(),left=false;
function leave(){if(left)return;left=true;track("page.left",{url:here(),seconds:Math.round((Date.now()-came)/1e3)});flush(true)}
w.addEventListener("pagehide",leave);d.addEventListener("visibilitychange",function(){if(d.visibilityState==="hidden")flush(true)});
w.addEventListener("pageshow",function(e){if(e.persisted){left=false;came=Date.now();page()}});
var from=/[?&]viatic_who=([^&#]*)/.exec(location.href);
if(from){arr=decodeURIComponent(from[1]);if(w.history&&w.history.replaceState)
w.history.replaceState(w.history.state,"",here()+location.hash)}
var early=w.viatic&&w.viatic.q||[];w.viatic=api;page();
early.forEach(function(a){if(api[a[0]])api[a[0]].apply(null,[].slice.call(a,1))});
})(window,document,navigator);`;
}
