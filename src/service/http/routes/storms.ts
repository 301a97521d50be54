import { storms } from '../../../shared/contract/storms.ts';
import { handlers } from '../route.ts';
import {
  dismissStorm,
  findStormRule,
  getStorm,
  listLatestStorms,
  releaseStorm,
  saveStormRule,
} from '../../../operations/storms/storms.ts';

/** Receiving domains that suddenly failed. */
export const stormsRoutes = handlers(storms, {
  storms: ({ deps, query }) => listLatestStorms(deps, query.state),
  stormRule: ({ deps }) => findStormRule(deps.database),
  saveStormRule: ({ deps, body, who }) => saveStormRule(deps, body, who.name),
  storm: ({ deps, params }) => getStorm(deps, params.id),
  releaseStorm: ({ deps, params, body, who }) => releaseStorm(deps, params.id, { ...body, actor: who.name }),
  dismissStorm: ({ deps, params, body, who }) => dismissStorm(deps, params.id, { ...body, actor: who.name }),
});
