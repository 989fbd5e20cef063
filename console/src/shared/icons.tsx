/** The icons of the console; each stands beside words and is hidden from screen readers. */
export { Check, ChevronDown, CircleAlert, CircleCheck, Moon, Sun, TriangleAlert } from 'lucide-react'
