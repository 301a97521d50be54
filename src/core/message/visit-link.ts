/** Name of the parameter by which a link says to our script on a site who comes. */
export const VISIT_PARAMETER = 'av';

/** Whether an address is on one of these sites, or on a host below one. */
export function isOnSite(url: string, sites: readonly string[]): boolean {
  if (!URL.canParse(url)) return false;
  const host = new URL(url).hostname;
  return sites.some((site) => host === site || host.endsWith(`.${site}`));
}

/** The address with the token of whoever follows it, any that stood there replaced. */
export function withVisit(url: string, token: string): string {
  const to = new URL(url);
  to.searchParams.set(VISIT_PARAMETER, token);
  return to.toString();
}

/**
 * The script that a site's pages hold. It keeps nothing and sends nothing when the visitor asks not to be tracked (DNT,
 * or Global Privacy Control), and knows nobody who did not come by a signed link. The token is taken out of the address
 * at once, so that a page that is shared does not name whoever shares it, and is kept on the site itself for `days`.
 */
export function siteScript(visitUrl: string, days: number): string {
  return `(function(w,d,n){'use strict';
if(n.globalPrivacyControl||n.doNotTrack==='1'||w.doNotTrack==='1')return;
var key='avendel-visitor',now=Date.now(),kept=null;
try{
var here=new URL(w.location.href),given=here.searchParams.get('${VISIT_PARAMETER}');
if(given&&/^[a-z2-7]{39}$/.test(given)){
here.searchParams.delete('${VISIT_PARAMETER}');w.history.replaceState(w.history.state,'',here.toString());
kept={token:given,until:now+${days}*864e5};w.localStorage.setItem(key,JSON.stringify(kept));
}else{kept=JSON.parse(w.localStorage.getItem(key)||'null');}
if(!kept||!(kept.until>now)){w.localStorage.removeItem(key);return;}
n.sendBeacon(${JSON.stringify(visitUrl)},JSON.stringify({token:kept.token,path:w.location.pathname,title:d.title}));
}catch(e){}
})(window,document,navigator);
`;
}
