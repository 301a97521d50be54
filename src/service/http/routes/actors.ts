import { actors } from '../../../shared/contract/actors.ts';
import { handlers } from '../route.ts';
import { PUBLIC_PATHS } from '../../../core/message/public-paths.ts';
import { findProxyList, saveProxyList } from '../../../operations/events/proxy-list.ts';
import { rebuildActivity } from '../../../operations/events/rebuild-activity.ts';
import { beginRejudging, previewRejudging } from '../../../operations/events/rejudge-acts.ts';
import { findSites, saveSites } from '../../../operations/events/sites.ts';
import {
  beginAutomated,
  judgeAutomated,
  listLookingAutomated,
  previewAutomated,
} from '../../../operations/rules/automated-addresses.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import { pageOf, readCursor } from '../paging.ts';

/** Whose acts they are: activity, what is judged by, and the addresses that look automated. */
export const actorsRoutes = handlers(actors, {
  rebuildActivity: ({ deps }) => rebuildActivity(deps),
  previewRejudging: ({ deps }) => previewRejudging(deps),
  rejudgeActs: async ({ deps, body, who }) => workFirst(deps, await beginRejudging(deps, { ...body, actor: who.name })),
  proxies: ({ deps }) => findProxyList(deps.database),
  saveProxies: ({ deps, body, who }) => saveProxyList(deps, body, who.name),
  sites: async ({ deps }) => ({
    ...(await findSites(deps.database)),
    scriptUrl: `${deps.publicUrl}${PUBLIC_PATHS.visit}.js`,
  }),
  saveSites: async ({ deps, body, who }) => ({
    ...(await saveSites(deps, body, who.name)),
    scriptUrl: `${deps.publicUrl}${PUBLIC_PATHS.visit}.js`,
  }),
  async automated({ deps, query }) {
    const rows = await listLookingAutomated(deps, query.state, readCursor(query.cursor, 0), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.contactId);
  },
  previewAutomated: ({ deps, body }) => previewAutomated(deps, body.rule),
  applyAutomated: async ({ deps, body, who }) =>
    workFirst(
      deps,
      await beginAutomated(deps, {
        rule: body.rule,
        expected: body.expect,
        reason: body.reason,
        actor: who.name,
        actorKind: 'person',
      }),
    ),
  judgeAutomated: ({ deps, body, who }) => judgeAutomated(deps, { ...body, actor: who.name }),
});
