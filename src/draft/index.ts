export { type DraftedModel, type DraftFile, draftModel } from './draft.ts';
