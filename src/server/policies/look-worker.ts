import { answerQuestions } from '../shell/worker'
import { answerLook, type LookAsk } from './look'

/** Looks at sets of policies, off the thread that answers requests. */
answerQuestions<LookAsk, never>(async (question) => answerLook(question))
