import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import * as api from '../api/client.ts'
import * as ask from '../api/queries.ts'
import { Buttons, Dialog } from '../shared/parts.tsx'
import { useSay } from '../shared/say.tsx'

/** A place to say something about an issue; said gets the comment's number. */
export function CommentDialog({ id, close, said }: { id: string; close: () => void; said?: (comment: number) => void }) {
  const client = useQueryClient()
  const say = useSay()
  const [text, setText] = useState('')
  const write = useMutation({
    mutationFn: () => api.writeComment(id, text),
    onSuccess: (c) => {
      said?.(c.comment)
      say(`comment added to ${id}`)
      void client.invalidateQueries({ queryKey: ask.allOf(ask.projectOf(id)) })
      close()
    },
    onError: (e) => say(e.message, true),
  })
  return (
    <Dialog title={`Comment on ${id}`} close={close}>
      <form
        onSubmit={(e) => {
          e.preventDefault()
          if (text.trim()) write.mutate()
        }}
      >
        <label className="block">
          <span className="soft mb-1 block">Markdown; @maren.holt mentions a person</span>
          <textarea
            className="textarea h-28 w-full"
            value={text}
            autoFocus
            onChange={(e) => setText(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === 'Enter' && (e.ctrlKey || e.metaKey) && text.trim()) write.mutate()
            }}
          />
        </label>
        <Buttons close={close} off={!text.trim() || write.isPending} words="Say it" />
      </form>
    </Dialog>
  )
}
