export { type Survey, SurveyBuilder } from './survey.js';
