// One question at a time is asked before something is removed or left; Ask.svelte shows it.
export interface Question {
  title: string
  text: string
  action: string // what the button does, such as Undo load 3
}

interface Asked extends Question {
  answer: (sure: boolean) => void
}

export const asked: { now: Asked | null } = $state({ now: null })

// ask shows a question and returns whether its action is meant.
export const ask = (question: Question) =>
  new Promise<boolean>((resolve) => {
    asked.now?.answer(false)
    asked.now = { ...question, answer: resolve }
  })

// answer closes the question.
export function answer(sure: boolean) {
  const question = asked.now
  asked.now = null
  question?.answer(sure)
}
