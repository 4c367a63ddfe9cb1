// Drafting models of files, as users import it.
export { type DraftedModel, type DraftFile, draftModel } from './draft.ts';
