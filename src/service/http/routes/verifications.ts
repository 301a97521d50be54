import { verifications } from '../../../shared/contract/verifications.ts';
import { handlers } from '../route.ts';
import {
  beginVerdicts,
  findVerdictActs,
  forgetVerification,
  getVerification,
  listLatestVerifications,
  lookAtVerdicts,
  mapWords,
  receiveVerification,
  saveVerdictActs,
} from '../../../operations/verifications/verify.ts';
import { workFirst } from '../../../operations/runs/work-through.ts';
import { NEWEST_INT, pageOf, readCursor } from '../paging.ts';
import { uploadOf } from '../upload.ts';

export const verificationsRoutes = handlers(verifications, {
  verify({ deps, query, who, c }) {
    return receiveVerification(deps, { ...query, actor: who.name }, uploadOf(c));
  },
  lookAtVerdicts: ({ deps, query, c }) => lookAtVerdicts(deps, query.name, uploadOf(c)),
  async verifications({ deps, query }) {
    const rows = await listLatestVerifications(deps, readCursor(query.cursor, NEWEST_INT), query.limit + 1);
    return pageOf(rows, query.limit, (row) => row.id);
  },
  verdictActs: ({ deps }) => findVerdictActs(deps),
  saveVerdictActs: ({ deps, body, who }) => saveVerdictActs(deps, body, who.name),
  verification: ({ deps, params }) => getVerification(deps, params.id),
  mapWords: ({ deps, params, body }) => mapWords(deps, params.id, body.words),
  applyVerification: async ({ deps, params, body, who }) =>
    workFirst(deps, await beginVerdicts(deps, params.id, { ...body, actor: who.name })),
  forgetVerification: ({ deps, params }) => forgetVerification(deps, params.id),
});
