import { answerQuestions } from '../shell/worker'
import { lookAt, type LookAsk } from './look'

/** Looks at sets of policies, off the thread that answers requests. */
answerQuestions<LookAsk, never>(async (question) => lookAt(question))
