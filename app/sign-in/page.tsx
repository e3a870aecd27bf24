import type { Metadata } from 'next';
import { redirect } from 'next/navigation';
import { currentSession } from '@/app/context';
import { SignInForm } from '@/ui/sign-in-form';

export const metadata: Metadata = { title: 'Sign in' };

export default async function SignInPage() {
  if (await currentSession()) redirect('/');
  return (
    <div className="signin">
      <SignInForm />
      <div className="land">Water is time you still have, land is a promise broken.</div>
    </div>
  );
}
