import { acts } from '../../../shared/contract/acts.ts';
import { handlers } from '../route.ts';
import { beginAct, previewAct } from '../../../operations/acts/act-on-contacts.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';

export const actsRoutes = handlers(acts, {
  previewAct: ({ deps, body }) => previewAct(deps, body),
  applyAct: async ({ deps, body, who }) => workFirst(deps, await beginAct(deps, { ...body, actor: who.name })),
});
